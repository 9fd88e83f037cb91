import { Form } from './form.js'
import type { CheckData, PassageSegment, Shape, TextSegment } from './shape.js'
import { labelField, type OutputModel } from '../artefacts/artefacts.js'
import { passagesIn } from '../text/passages.js'
import type { Span } from '../source/source.js'
import type { Passage, PassageType, Piece, Text } from '../text/nodes.js'

/**
 * An output without the parts that depend on a record: bounds that are slots are left out, and documents and rows are reduced to their passages. Its
 * schema applies to every record; it reads nothing.
 */
export function outlineOf(output: OutputModel): Form {
  const common = { name: output.name, about: output.about, show: output.show ?? 'skeleton', mustSay: [], mustNotSay: [] } as const
  const segments = output.form === 'rows' ? rowSegments(output.row) : output.form === 'document' ? segmentsOf(output.text) : []
  return new Form(shapeOf(output, common, segments, undefined))
}

/** The shape of an output, its slots in bounds still to be set. */
export function shapeOf(
  output: OutputModel,
  common: Pick<Shape, 'name' | 'about' | 'show' | 'mustSay' | 'mustNotSay'>,
  segments: readonly TextSegment[],
  check: CheckData | undefined,
): Shape {
  const { cites, notCounting = [], ...bounds } = output.whole ?? {}
  const whole = output.whole && {
    minWords: undefined,
    maxWords: undefined,
    ...bounds,
    cites: cites?.name,
    notCounting: notCounting.map(({ name }) => name),
  }
  switch (output.form) {
    case 'fields':
      return { ...common, whole, form: 'fields', fields: output.fields, schema: output.schema?.content, check }
    case 'one-of':
      return { ...common, form: 'one-of', of: output.of, labels: output.labels, field: labelField(output) }
    case 'rows':
      return { ...common, form: 'rows', segments, min: output.min, max: output.max }
    case 'document':
      return { ...common, whole, form: 'document', segments }
  }
}

function segmentsOf(text: Text | undefined): PassageSegment[] {
  const passages = new Map((text ? passagesIn(text) : []).map((passage) => [passage.name, passage]))
  return [...passages.values()].map(segmentOf)
}

function segmentOf({ name, type, span }: Passage): PassageSegment {
  return passageSegment(name, type, sourceOf(span))
}

/** A row is one line: its fixed text separates its passages, whatever its slots contain. */
function rowSegments(row: Text | undefined): TextSegment[] {
  const pieces = row?.items.flatMap((item): readonly Piece[] => (item.kind === 'line' ? item.pieces : [])) ?? []
  return pieces.map((piece) => {
    if (piece.kind === 'passage') return segmentOf(piece)
    return { kind: 'fixed', text: piece.kind === 'fixed' ? piece.text : sourceOf(piece.span) }
  })
}

function sourceOf({ source, start, end }: Span): string {
  return source.text.slice(start, end)
}

/** A passage as it was written: its guidance is the text after the colon, without the type that it begins with. */
export function passageSegment(name: string, type: PassageType, text: string): PassageSegment {
  const behind = text.slice(1 + name.length, -1).trim()
  const stated = behind.startsWith(':') ? behind.slice(1).trim() : ''
  const guidance = stated.startsWith(type) ? stated.slice(type.length).replace(/^[\s,:;]+/, '') : stated
  return { kind: 'passage', name, type, guidance, text }
}
