import { diffWordsWithSpace } from 'diff'
import { useMemo } from 'react'
import './reading.css'

interface ReplyTextProps {
  readonly text: string
  /** Words that nothing supports. */
  readonly claims?: readonly string[]
  /** Values that the model saw a placeholder of, by it. */
  readonly masked?: Readonly<Record<string, string>>
  /** Another reply: words that it does not have are marked. */
  readonly against?: string | undefined
}

/** The words of a reply: what nothing supports is underlined, what was masked is marked, and what another reply does not have. */
export function ReplyText({ text, claims = NONE, masked = NOTHING, against }: ReplyTextProps) {
  const marks = useMemo(() => [...marksOf(text, claims, masked)], [text, claims, masked])
  const parts = useMemo(() => (against === undefined ? undefined : diffWordsWithSpace(against, text)), [text, against])
  return (
    <div className="reply-words" dir="auto">
      {parts
        ? parts
            .filter(({ removed }) => !removed)
            .map(({ value, added }, i) => (added ? <ins key={i}>{value}</ins> : <span key={i}>{value}</span>))
        : marks.map(({ value, kind, title }, i) =>
            kind === undefined ? (
              <span key={i}>{value}</span>
            ) : (
              <mark
                key={i}
                className={kind}
                data-claim={kind === 'claim' ? value : undefined}
                title={title}
                tabIndex={kind === 'claim' ? -1 : undefined}
              >
                {value}
              </mark>
            ),
          )}
    </div>
  )
}

const NONE: readonly string[] = []
const NOTHING: Readonly<Record<string, string>> = {}

interface Mark {
  readonly value: string
  readonly kind?: 'claim' | 'masked'
  readonly title?: string
}

/** The text in pieces: those that have a mark, and those between them. */
function* marksOf(text: string, claims: readonly string[], masked: Readonly<Record<string, string>>): Generator<Mark> {
  const wanted = new Map<string, Omit<Mark, 'value'>>()
  for (const claim of claims) wanted.set(claim, { kind: 'claim', title: 'neither in the prompt nor in the record: verify it' })
  for (const [placeholder, value] of Object.entries(masked))
    for (const words of [value, placeholder])
      if (words !== '') wanted.set(words, { kind: 'masked', title: `masked: sent as ${placeholder}` })
  if (wanted.size === 0) {
    yield { value: text }
    return
  }
  const words = [...wanted.keys()].sort((a, b) => b.length - a.length).map((word) => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
  let end = 0
  for (const match of text.matchAll(new RegExp(words.join('|'), 'gu'))) {
    if (match.index > end) yield { value: text.slice(end, match.index) }
    yield { value: match[0], ...wanted.get(match[0]) }
    end = match.index + match[0].length
  }
  if (end < text.length) yield { value: text.slice(end) }
}
