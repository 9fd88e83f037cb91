import type { Prompt, PromptMessage } from '@modelcontextprotocol/sdk/types.js'
import { describe } from 'dunelight/parts'
import type { Turn } from 'dunelight'
import type { RenderResult } from '../operations/results.js'
import type { Wording } from '../wordings/wording.js'

/** The role of a turn that the protocol has no role for, and the exact turns: keys of `_meta`. */
const ROLE = 'dunelight/role'
const TURNS = 'dunelight/turns'

/** A prompt in a list. */
export function promptOf({ name, prompt }: Wording): Prompt {
  const { title, about, variables } = prompt
  return {
    name,
    title,
    ...(about !== undefined && { description: about }),
    arguments: variables.map((variable) => ({
      name: variable.name,
      description: [variable.about, describe(variable.type)].filter((text) => text !== undefined).join('; '),
      required: !variable.optional && variable.default === undefined,
    })),
  }
}

/** A rendering as messages. The protocol knows no system turn: one goes first as a message of the user that says so in its content. */
export function renderedMessages({ prompt }: Wording, { turns, fingerprint, edition }: RenderResult) {
  return {
    ...(prompt.about !== undefined && { description: prompt.about }),
    messages: turns.flatMap(messagesOf),
    _meta: { [TURNS]: turns, 'dunelight/fingerprint': fingerprint, ...(edition !== undefined && { 'dunelight/edition': edition }) },
  }
}

function messagesOf({ role, text, parts = [] }: Turn): PromptMessage[] {
  const ofTurn = (content: PromptMessage['content']): PromptMessage => ({
    role: role === 'assistant' ? 'assistant' : 'user',
    content: role === 'system' ? { ...content, _meta: { [ROLE]: 'system' } } : content,
  })
  const texts = [text, ...parts.flatMap((part) => (part.kind === 'text' ? [part.text] : []))].filter((item) => item !== '')
  const files = parts.flatMap((part) => (part.kind === 'file' ? [fileContent(part)] : []))
  return [...texts.map((item) => ofTurn({ type: 'text', text: item })), ...files.map(ofTurn)]
}

function fileContent({
  name,
  mediaType,
  bytes,
}: {
  readonly name: string
  readonly mediaType: string
  readonly bytes?: Uint8Array
}): PromptMessage['content'] {
  const data = Buffer.from(bytes ?? []).toString('base64')
  if (mediaType.startsWith('image/')) return { type: 'image', data, mimeType: mediaType }
  if (mediaType.startsWith('audio/')) return { type: 'audio', data, mimeType: mediaType }
  return { type: 'resource', resource: { uri: `attachment:${encodeURIComponent(name)}`, mimeType: mediaType, blob: data } }
}
