import type { Context } from './context.js'
import { compileValue } from './value.js'
import type { Compilation } from './env.js'
import type { Attachment } from '../artefacts/artefacts.js'
import { problem } from '../problems/problem.js'
import type { AttachmentPlan } from '../render/parts.js'
import type { Span } from '../source/source.js'
import { isName } from '../values/names.js'
import { describe, type ValueType } from '../values/types.js'

/** The attachment of a turn. A value that is not a file, and missing files of the library, are reported. */
export function attachmentPlans(attach: readonly Attachment[], { env }: Compilation, context: Context): AttachmentPlan[] {
  return attach.flatMap((attachment) =>
    attachment.kind === 'path' ? ofLibrary(attachment, env.attachments, context) : ofValue(attachment, context),
  )
}

function ofLibrary(
  { path, as, span }: Extract<Attachment, { kind: 'path' }>,
  attachments: Compilation['env']['attachments'],
  context: Context,
): AttachmentPlan[] {
  const file = attachments.get(path) ?? 'the library was opened without it'
  if (typeof file === 'string') {
    context.shared.report(problem('attach-missing', { path, why: file }, span))
    return []
  }
  return [{ get: () => file, as, from: path, fence: undefined, span }]
}

function ofValue({ value, as, span }: Extract<Attachment, { kind: 'value' }>, context: Context): AttachmentPlan[] {
  const { shared, role } = context
  const compiled = compileValue(value, context)
  if (!compiled) return []
  const from = textAt(span)
  if (!isFiles(compiled.type)) {
    shared.report(problem('attach-invalid', { path: from, type: describe(compiled.type) }, span))
    return []
  }
  // An untrusted document sent as text is fenced, like an untrusted value in a turn.
  const fenced = compiled.untrusted && role !== 'assistant' && as !== 'file'
  const tag = value.paths[0]?.steps.at(-1)?.key ?? value.paths[0]?.name
  if (fenced && tag !== undefined) shared.fences.add(tag)
  if (fenced && (tag === undefined || !isName(tag))) shared.report(problem('fence-tag-invalid', { tag }, span))
  return [{ get: compiled.get, as, from, fence: fenced ? tag : undefined, span }]
}

function isFiles(type: ValueType): boolean {
  return type.kind === 'file' || type.kind === 'any' || (type.kind === 'list' && isFiles(type.item))
}

function textAt({ source, start, end }: Span): string {
  return source.text.slice(start, end)
}
