import type { OutputModel } from '../artefacts/artefacts.js'

/** The sentence that asks for one label and nothing else. */
export function instruct(output: OutputModel): string {
  const labels = output.of.map((label) => `"${label}"`)
  const last = labels.pop() ?? ''
  return labels.length === 0
    ? `Answer with ${last} and nothing else.`
    : `Answer with one of ${labels.join(', ')} or ${last}, and nothing else.`
}

/** The label that a reply names, or undefined: alone, or behind a layout's own `Grade:`. */
export function readLabel(output: OutputModel, reply: string): string | undefined {
  const bare = reply
    .trim()
    .replace(/^[\p{L}][\p{L} _-]{0,40}:\s*/u, '')
    .replace(/^["'`*]+|["'`*.]+$/g, '')
  return output.of.find((label) => label === bare) ?? output.of.find((label) => label.toLowerCase() === bare.toLowerCase())
}
