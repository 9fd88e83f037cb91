import type { CheckedReply, Form, Problem } from 'dunelight'
import './reading.css'

/** A reply as it is read: what is filled, what is missing, what is unsupported. `coming`: while it is not whole, nothing is missing yet. */
export function Reading({ read, form, coming = false }: { read: CheckedReply; form: Form; coming?: boolean }) {
  const columns = form.columns(read.value ?? read.partial)
  return (
    <>
      {!coming && <Verdict read={read} />}
      <table className="read-as" aria-label="the answer">
        <tbody>
          {Object.entries(columns).map(([name, value]) => (
            <Field key={name} name={name} value={value} claims={coming ? [] : read.unsupported} coming={coming} />
          ))}
        </tbody>
      </table>
      {!coming && (
        <>
          <Findings title="problems" problems={read.problems} />
          <Findings title="repairs" problems={read.repairs} />
          <Findings title="unsupported claims" problems={read.unsupported} />
          <Findings title="similar items" problems={read.similar} />
        </>
      )}
    </>
  )
}

function Verdict({ read: { problems, repairs } }: { read: CheckedReply }) {
  const words =
    problems.length > 0
      ? `✕ invalid: ${problems.length === 1 ? '1 problem' : `${problems.length} problems`}`
      : repairs.length > 0
        ? `✓ valid, with ${repairs.length} repaired`
        : '✓ valid'
  return <p className={problems.length > 0 ? 'verdict bad' : 'verdict good'}>{words}</p>
}

interface FieldProps {
  readonly name: string
  readonly value: unknown
  readonly claims: readonly Problem[]
  readonly coming: boolean
}

function Field({ name, value, claims, coming }: FieldProps) {
  const isMissing = value === null || value === undefined
  const text = isMissing ? '' : shown(value)
  const own = claims.map(claimText).filter((claim) => claim !== undefined && text.includes(claim))
  return (
    <tr className={isMissing && !coming ? 'missing' : ''}>
      <th scope="row">{name}</th>
      <td dir="auto">
        {isMissing ? (coming ? '…' : 'missing') : text}
        {own.length > 0 && (
          <button type="button" className="to-claim" onClick={() => goTo(own[0] ?? '')}>
            verify: {[...new Set(own)].join(', ')}
          </button>
        )}
      </td>
    </tr>
  )
}

/** Leads from a field to the words of the reply that nothing supports. */
function goTo(claim: string): void {
  const mark = document.querySelector<HTMLElement>(`mark.claim[data-claim="${CSS.escape(claim)}"]`)
  mark?.scrollIntoView({ block: 'center' })
  mark?.focus()
}

/** The words of the reply that an unsupported claim is about. */
export function claimText(p: Problem): string | undefined {
  return 'text' in p.data && typeof p.data.text === 'string' && p.data.text !== '' ? p.data.text : undefined
}

export function shown(value: unknown): string {
  if (value === null || value === undefined) return 'missing'
  if (typeof value === 'string') return value
  if (Array.isArray(value) && value.every((value) => typeof value === 'string')) return value.map((text) => `· ${text}`).join('\n')
  return JSON.stringify(value, null, 1)
}

function Findings({ title, problems }: { title: string; problems: readonly Problem[] }) {
  if (problems.length === 0) return null
  return (
    <>
      <h2 className="findings-title">{title}</h2>
      <ul className="findings">
        {problems.map((p, i) => (
          <li key={i}>
            {p.message}
            {p.hint === undefined ? '' : ` (${p.hint})`}
          </li>
        ))}
      </ul>
    </>
  )
}
