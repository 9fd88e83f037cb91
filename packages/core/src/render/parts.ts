import { defined } from '../invariant.js'
import { defuseText } from './defuse.js'
import type { Get, Run } from './run.js'
import { problem } from '../problems/problem.js'
import type { Span } from '../source/source.js'
import { isTextMedia, type FileValue } from '../values/files.js'
import { decodeUtf8, encodeBase64, encodeUtf8 } from '../values/web.js'
import { isMissing, lineEnds } from '../values/data.js'

/** A document that a turn attaches as text. */
export interface TextPart {
  readonly kind: 'text'
  readonly name: string
  readonly mediaType: string
  readonly text: string
  /** The value's path, or the library's file. */
  readonly from: string
  /** The tag that it is still to be fenced with. */
  readonly fence?: string
}

/** A picture or document that a turn hands over as it is. As JSON its bytes are Base64 under `data`. */
export class FilePart {
  readonly kind = 'file'
  readonly size: number

  constructor(
    readonly name: string,
    readonly mediaType: string,
    readonly bytes: Uint8Array,
    readonly from: string,
  ) {
    this.size = bytes.length
  }

  toJSON(): object {
    const { kind, name, mediaType, size, from } = this
    return { kind, name, mediaType, size, from, data: encodeBase64(this.bytes) }
  }
}

/** What a turn attaches: a document or picture as a file, or the text in it. */
export type Part = TextPart | FilePart

/** One entry of `attach`, decided ahead. */
export interface AttachmentPlan {
  readonly get: Get
  readonly as: 'text' | 'file' | undefined
  readonly from: string
  /** The tag of the fence around an untrusted document that is sent as text. */
  readonly fence: string | undefined
  readonly span: Span
}

/** The parts of one entry: none where nothing was given, several for a list of files. */
export function partsOf(plan: AttachmentPlan, run: Run): Part[] {
  const value = plan.get(run)
  const files = (Array.isArray(value) ? value : [value]) as (FileValue | null | undefined)[]
  return files.filter((file) => !isMissing(file)).map((file) => partOf(defined(file), plan, run))
}

function partOf(file: FileValue, plan: AttachmentPlan, run: Run): Part {
  const { name, mediaType } = file
  const { from, fence } = plan
  const text = plan.as === 'file' ? undefined : textOf(file, plan.as)
  const limit = run.limits.attachmentBytes
  // UTF-8 is never shorter than the text's count of UTF-16 units.
  const size = text === undefined ? (file.bytes?.length ?? defined(file.text).length) : text.length
  if (size > limit) run.fail(problem('attachment-over-limit', { name, size, limit }, plan.span))
  if (text === undefined) {
    if (plan.as === 'text') run.fail(problem('attachment-without-text', { name, mediaType }, plan.span))
    return new FilePart(name, mediaType, file.bytes ?? encodeUtf8(defined(file.text)), from)
  }
  if (fence === undefined) return { kind: 'text', name, mediaType, text, from }
  return { kind: 'text', name, mediaType, text, from, fence: run.tagFor(fence) }
}

/** A part with all forms of the rendering's fences in it made harmless, and its own fence around it. */
export function safePart({ fence, ...part }: TextPart, tags: readonly string[]): TextPart {
  const text = defuseText(part.text, tags)
  return fence === undefined ? { ...part, text } : { ...part, text: `<${fence}>\n${text}\n</${fence}>` }
}

/** Text media are attached as text; a file that has a text beside its bytes, such as a PDF, only with `as: text`. */
function textOf({ text, bytes, mediaType }: FileValue, as: 'text' | undefined): string | undefined {
  if (as === undefined && bytes && !isTextMedia(mediaType)) return undefined
  return text === undefined ? (isTextMedia(mediaType) && bytes ? decoded(bytes) : undefined) : lineEnds(text)
}

function decoded(bytes: Uint8Array): string | undefined {
  const text = decodeUtf8(bytes)
  return text === undefined ? undefined : lineEnds(text)
}
