import { Button, Group, Textarea } from '@mantine/core'
import { useState } from 'react'
import type { Desk } from '../state/desk.js'
import { bestOf, type Candidate, type ReviewedRecord } from '../state/runs-data.js'
import { shown } from './reading.js'
import { ReplyText } from './reply-text.js'

interface DetailProps {
  readonly desk: Desk
  readonly record: ReviewedRecord
  readonly editing: boolean
  readonly onEditing: (on: boolean) => void
}

/** The answers of one record beside each other, and what can be done with them. */
export function ReviewDetail({ desk, record, editing, onEditing }: DetailProps) {
  const { record: id, candidates, accepted, taken, parts, problems } = record
  const records = [id]
  const best = bestOf(record)
  return (
    <>
      <Group gap="xs" className="review-actions">
        <h2>{id}</h2>
        <Button
          size="compact-xs"
          disabled={!best}
          onClick={() => best && void desk.runs.decide({ does: 'accept', records, answer: best.number })}
        >
          Accept <kbd>A</kbd>
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => void desk.runs.decide({ does: 'discard', records })}>
          Discard <kbd>R</kbd>
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => void desk.runs.decide({ does: 'regenerate', records })}>
          Regenerate <kbd>G</kbd>
        </Button>
        <Button size="compact-xs" variant="default" disabled={candidates.length === 0} onClick={() => onEditing(true)}>
          Edit <kbd>E</kbd>
        </Button>
      </Group>
      {parts.length > 1 && (
        <Group gap={6} className="review-parts">
          <span className="quiet">Regenerate alone:</span>
          {parts.map((part) => (
            <button
              key={part}
              type="button"
              className="to-row"
              onClick={() => void desk.runs.decide({ does: 'regenerate', records, part })}
            >
              {part}
            </button>
          ))}
        </Group>
      )}
      {candidates.length === 0 &&
        problems.map(({ message, hint }, i) => (
          <p key={i} className="bad">
            {message}
            {hint === undefined ? '' : ` (${hint})`}
          </p>
        ))}
      {editing && <Edit key={id} desk={desk} record={record} from={best ?? candidates.at(-1)} onEnd={() => onEditing(false)} />}
      <div className="candidates">
        {candidates.map((candidate) => (
          <CandidateCard
            key={candidate.number}
            candidate={candidate}
            isAccepted={candidate.number === accepted}
            isTaken={accepted === undefined && candidate.number === taken}
            onAccept={() => void desk.runs.decide({ does: 'accept', records, answer: candidate.number })}
          />
        ))}
      </div>
    </>
  )
}

interface CardProps {
  readonly candidate: Candidate
  readonly isAccepted: boolean
  /** Whether the document has it, although nothing was accepted. */
  readonly isTaken: boolean
  readonly onAccept: () => void
}

function CandidateCard({ candidate, isAccepted, isTaken, onAccept }: CardProps) {
  const { number, text, answer, problems, repairs, unsupported, similarItems, similar, isRegenerated, isEdited, isMock } = candidate
  const marks = [
    ...(isAccepted ? ['✓ accepted'] : isTaken ? ['in the document'] : []),
    ...(isEdited ? ['edited by hand'] : []),
    ...(isRegenerated ? [`${isRegenerated.part} regenerated, the rest of answer ${isRegenerated.of}`] : []),
    ...(similar === undefined ? [] : [`nearly the same as answer ${similar}`]),
  ]
  return (
    <article className={isAccepted ? 'candidate accepted' : 'candidate'} aria-label={`answer ${number}`}>
      <Group gap={6}>
        <h3>Answer {number}</h3>
        {isMock && <span className="mock">mock</span>}
        <span className="quiet">{marks.join(' · ')}</span>
        <span className="spring" />
        {!isAccepted && answer && (
          <Button size="compact-xs" variant="default" onClick={onAccept}>
            Accept <kbd>{number}</kbd>
          </Button>
        )}
      </Group>
      <ReplyText text={text} claims={unsupported} />
      {answer && Object.keys(answer).length > 1 && (
        <table className="read-as">
          <tbody>
            {Object.entries(answer).map(([name, value]) => (
              <tr key={name}>
                <th scope="row">{name}</th>
                <td dir="auto">{shown(value)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ul className="findings">
        {[
          ...problems.map(({ message }) => message),
          ...repairs.map((message) => `repaired: ${message}`),
          ...unsupported.map((words) => `unsupported: ${words}`),
          ...similarItems,
        ].map((words, i) => (
          <li key={i}>{words}</li>
        ))}
      </ul>
    </article>
  )
}

interface EditProps {
  readonly desk: Desk
  readonly record: ReviewedRecord
  readonly from: Candidate | undefined
  readonly onEnd: () => void
}

/** An answer by hand: it is read as any other, and accepted if it can be. */
function Edit({ desk, record, from, onEnd }: EditProps) {
  const [text, setText] = useState(from?.text ?? '')
  const [problems, setProblems] = useState<readonly string[]>([])
  const keep = async () => {
    const [done] = await desk.runs.decide({ does: 'edit', records: [record.record], text })
    if (!done) return
    if (done.problems.length > 0) setProblems(done.problems.map(({ message }) => message))
    else onEnd()
  }
  return (
    <div className="edit-answer">
      <Textarea
        autosize
        minRows={4}
        maxRows={14}
        data-autofocus
        autoFocus
        aria-label={`answer for ${record.record} by hand`}
        dir="auto"
        value={text}
        onChange={(event) => setText(event.currentTarget.value)}
        onKeyDown={(event) => {
          if (event.key === 'Escape') onEnd()
          if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) void keep()
        }}
      />
      {problems.map((message, i) => (
        <p key={i} className="bad" role="alert">
          {message}
        </p>
      ))}
      <Group gap="xs">
        <Button size="compact-xs" onClick={() => void keep()}>
          Keep and accept
        </Button>
        <Button size="compact-xs" variant="default" onClick={onEnd}>
          Leave it
        </Button>
      </Group>
    </div>
  )
}
