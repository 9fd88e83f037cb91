import { diffWordsWithSpace } from 'diff'
import { useEffect, useMemo, useState } from 'react'
import type { AskedRecord } from '../state/asked.js'
import type { Desk } from '../state/desk.js'
import { ReplyText } from './reply-text.js'
import { Figures, timeOf } from './variant.js'
import { useDesk } from './use-desk.js'

/** Every reply that was asked for the chosen record, the latest first, with the wording that gave it. */
export function AskHistory({ desk }: { desk: Desk }) {
  const history = useDesk(desk, (s) => s.asking.history)
  const record = useDesk(desk, (s) => s.shown.sheet.record?.id)
  const [chosen, setChosen] = useState<AskedRecord>()
  useEffect(() => setChosen(undefined), [record])
  if (history.length === 0) return null
  return (
    <section className="ask-history" aria-label="earlier replies">
      <h2>
        {history.length === 1 ? '1 reply' : `${history.length} replies`} for {record}, the latest first
      </h2>
      <ul>
        {history.map((asked) => (
          <li key={`${asked.at} ${asked.candidate} ${asked.wording}`}>
            <button
              type="button"
              className="history-row"
              aria-expanded={asked === chosen}
              onClick={() => setChosen(asked === chosen ? undefined : asked)}
            >
              <span className="history-about">
                {timeOf(asked.at)} · {asked.model} · {asked.wording}
                {asked.isMock && <span className="mock"> mock</span>}
              </span>
              <span className="history-text">{asked.text ?? asked.problems[0]?.message ?? 'no answer'}</span>
            </button>
          </li>
        ))}
      </ul>
      {chosen && <Earlier desk={desk} asked={chosen} />}
    </section>
  )
}

/** An earlier reply, and how its prompt differs from the one of now. */
function Earlier({ desk, asked }: { desk: Desk; asked: AskedRecord }) {
  const rendering = useDesk(desk, (s) => s.shown.sheet.rendering)
  const parts = useMemo(() => {
    const now = rendering?.turns.map(({ role, text }) => `${role}: ${text}`).join('\n\n') ?? ''
    const then = asked.turns.map(({ role, text }) => `${role}: ${text}`).join('\n\n')
    return diffWordsWithSpace(then, now)
  }, [asked, rendering])
  const isSame = parts.every(({ added, removed }) => !added && !removed)
  return (
    <div className="earlier">
      <div>
        <ReplyText text={asked.text ?? ''} />
        <Figures asked={asked} />
      </div>
      <div className="earlier-prompt">
        {isSame ? (
          <p className="quiet">Its prompt is the one of now.</p>
        ) : (
          <>
            <p className="quiet">
              Its prompt (<del>then</del>) and the one of now (<ins>now</ins>):
            </p>
            {parts.map((part, i) =>
              part.added ? (
                <ins key={i}>{part.value}</ins>
              ) : part.removed ? (
                <del key={i}>{part.value}</del>
              ) : (
                <span key={i}>{shortened(part.value)}</span>
              ),
            )}
          </>
        )}
      </div>
    </div>
  )
}

/** What both have: its beginning and end are enough. */
function shortened(text: string): string {
  return text.length > 240 ? `${text.slice(0, 100)} … ${text.slice(-100)}` : text
}
