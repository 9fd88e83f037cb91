import type { CallToolResult, Tool } from '@modelcontextprotocol/sdk/types.js'
import type { JsonSchema } from 'dunelight/parts'
import { answerSchema, variablesSchema } from '../operations/catalogue.js'
import type { AskResult } from '../operations/results.js'
import type { Wording } from '../wordings/wording.js'

type ObjectSchema = Tool['inputSchema']

/** The name of a prompt as that of a tool: `label/write` is `label.write`. */
export function toolName(prompt: string): string {
  return prompt
    .replaceAll('/', '.')
    .replace(/[^A-Za-z0-9._-]/gu, (character) => `_${character.codePointAt(0)?.toString(16) ?? ''}_`)
    .slice(0, 128)
}

/** A prompt as a tool. Both schemas are those of objects: one of another type would make clients refuse the whole list. */
export function toolOf(wording: Wording): Tool {
  const { name, prompt } = wording
  return {
    name: toolName(name),
    title: prompt.title,
    description: prompt.about ?? prompt.title,
    inputSchema: variablesSchema(wording) as ObjectSchema,
    outputSchema: outputSchema(wording),
  }
}

/** What a tool answers: the text for models, the data for programs. */
export function toolResult(wording: Wording, { answer, text, edition, fingerprint, unsupported, isMock }: AskResult): CallToolResult {
  const structuredContent = isObject(answerSchema(wording)) ? (answer as Record<string, unknown>) : { answer }
  return {
    content: [{ type: 'text', text }],
    structuredContent,
    _meta: {
      'dunelight/fingerprint': fingerprint,
      ...(edition !== undefined && { 'dunelight/edition': edition }),
      ...(unsupported.length > 0 && { 'dunelight/unsupported': unsupported }),
      ...(isMock && { 'dunelight/mock': true }),
    },
  }
}

function outputSchema(wording: Wording): ObjectSchema {
  const answer = answerSchema(wording)
  return isObject(answer) ? (answer as ObjectSchema) : { type: 'object', properties: { answer }, required: ['answer'] }
}

function isObject(schema: JsonSchema): boolean {
  return schema['type'] === 'object'
}
