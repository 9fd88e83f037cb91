import { Button, Group, Select, Switch, Textarea } from '@mantine/core'
import { diffWordsWithSpace } from 'diff'
import { useMemo, useState } from 'react'
import { defined } from 'dunelight/host'
import type { Desk } from '../state/desk.js'
import { hasRows } from '../state/page-state.js'
import { EDITED, otherWordings, withSettings, type Wording } from '../state/wordings.js'
import { sheetOf, turnsText, type Sheet } from '../model/sheet.js'
import type { Subject } from '../model/subject.js'
import { ProblemList } from './problem-list.js'
import { useDesk } from './use-desk.js'
import './beside.css'

const SETTINGS: Wording = { ...EDITED, value: 'settings', label: 'other settings' }

/** Two wordings for the same record: what is edited here, and another. Steps go through the records in which they differ. */
export function BesideView({ desk }: { desk: Desk }) {
  const { row, wanted: selected } = useDesk(desk, (s) => s.selection)
  const hand = useDesk(desk, (s) => s.editing.hand)
  const source = useDesk(desk, (s) => s.table)
  const { table, joined } = source
  const { files, data, committed } = useDesk(desk, (s) => s.library)
  const { library, sheet: left, subject: current } = useDesk(desk, (s) => s.shown)
  const [wanted, setWanted] = useState('saved')
  const [settings, setSettings] = useState('')
  const [searching, setSearching] = useState<string>()
  const [whole, setWhole] = useState(false)
  const others = useMemo(() => [...otherWordings(desk), SETTINGS], [desk, library, committed])
  const other = others.find(({ value }) => value === wanted) ?? defined(others[0])
  const subject = useMemo(
    () => desk.subjectOf(withSettings(desk, other.files(desk), settings)),
    [desk, other, files, data, table, joined, settings, selected],
  )
  const right = useMemo(() => sheetOf(subject, row, hand, hasRows(source)), [subject, row, hand, source])

  const step = async (by: 1 | -1) => {
    const rows = table?.rows.length ?? 0
    setSearching('searching …')
    for (let index = row + by, searched = 0; index >= 0 && index < rows; index += by, searched++) {
      if (turnsText(current, index) !== turnsText(subject, index)) {
        setSearching(undefined)
        desk.selection.chooseRow(index)
        return
      }
      // The page stays quick while a large table is gone through.
      if (searched % 200 === 199) await new Promise((resolve) => setTimeout(resolve, 0))
    }
    setSearching(by === 1 ? 'none after this one' : 'none before this one')
  }
  return (
    <div className="beside">
      <Group gap="xs" className="beside-tools">
        <Select
          size="xs"
          w={260}
          aria-label="compared with"
          data={others.map(({ value, label }) => ({ value, label }))}
          value={other.value}
          allowDeselect={false}
          onChange={(next) => next && setWanted(next)}
        />
        {wanted === 'settings' && (
          <Textarea
            size="xs"
            rows={1}
            w={220}
            aria-label="other settings"
            placeholder="temperature: 0.2"
            value={settings}
            onChange={(e) => setSettings(e.currentTarget.value)}
          />
        )}
        <Button size="compact-xs" variant="default" onClick={() => void step(-1)}>
          ↑ differing
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => void step(1)}>
          ↓ differing
        </Button>
        <Switch size="xs" label="whole texts" checked={whole} onChange={(e) => setWhole(e.currentTarget.checked)} />
        {searching !== undefined && <span role="status">{searching}</span>}
      </Group>
      <div className="beside-scroll">
        <Difference left={left} right={right} whole={whole} names={['as edited', other.label]} />
        <SettingsDifference left={current} right={subject} />
      </div>
    </div>
  )
}

/** Unchanged text beyond this is left out between two differences. */
const AROUND = 120

function Difference({ left, right, whole, names }: { left: Sheet; right: Sheet; whole: boolean; names: readonly [string, string] }) {
  const pairs = useMemo(() => {
    const [turns, others] = [left.rendering?.turns ?? [], right.rendering?.turns ?? []]
    return Array.from({ length: Math.max(turns.length, others.length) }, (_, i) => ({
      role: turns[i]?.role ?? defined(others[i]).role,
      parts: diffWordsWithSpace(others[i]?.text ?? '', turns[i]?.text ?? ''),
    }))
  }, [left, right])
  const same = pairs.every(({ parts }) => parts.every((part) => !part.added && !part.removed))
  return (
    <>
      <div className="beside-heads">
        <h2>{names[0]}</h2>
        <h2>{names[1]}</h2>
      </div>
      {same && pairs.length > 0 && <p className="empty">No differences for this record.</p>}
      <div className="beside-pair">
        <ProblemList problems={left.problems.filter((p) => p.severity === 'error')} />
        <ProblemList problems={right.problems.filter((p) => p.severity === 'error')} />
      </div>
      {pairs.map(({ role, parts }, i) =>
        whole || parts.some((part) => part.added || part.removed) ? (
          <div className="beside-pair" key={i}>
            {(['removed', 'added'] as const).map((leaves, side) => (
              <article className="turn" key={leaves} aria-label={`${role} turn, ${defined(names[side])}`}>
                <h3 className="turn-role">{role}</h3>
                <div className="turn-text" dir="auto">
                  {parts
                    .filter((part) => !part[leaves])
                    .map((part, j) => {
                      if (part.added) return <ins key={j}>{part.value}</ins>
                      if (part.removed) return <del key={j}>{part.value}</del>
                      return <Same key={j} text={part.value} whole={whole} />
                    })}
                </div>
              </article>
            ))}
          </div>
        ) : null,
      )}
    </>
  )
}

/** The lines that both have: between two differences only those next to them, unless all are wanted. */
function Same({ text, whole }: { text: string; whole: boolean }) {
  if (whole || text.length < 2 * AROUND + 40) return <span>{text}</span>
  const head = text.slice(0, text.indexOf('\n', AROUND) + 1 || AROUND)
  const end = text.length - AROUND
  const tail = text.slice(text.lastIndexOf('\n', end) + 1 || end)
  if (head.length + tail.length >= text.length) return <span>{text}</span>
  return (
    <>
      <span>{head}</span>
      <span className="left-away">{`${head.endsWith('\n') ? '' : '\n'}⋯ the same ⋯\n`}</span>
      <span>{tail}</span>
    </>
  )
}

/** Settings are not text: their differences are listed separately. */
function SettingsDifference({ left, right }: { left: Subject | undefined; right: Subject }) {
  const [settings, others] = [left?.prompt?.settings ?? {}, right.prompt?.settings ?? {}]
  const keys = [...new Set([...Object.keys(settings), ...Object.keys(others)])].filter(
    (key) => JSON.stringify(settings[key]) !== JSON.stringify(others[key]),
  )
  if (keys.length === 0) return null
  return (
    <table className="settings">
      <tbody>
        {keys.map((key) => (
          <tr key={key}>
            <th scope="row">{key}</th>
            <td>
              <ins>{key in settings ? JSON.stringify(settings[key]) : '—'}</ins>
            </td>
            <td>
              <del>{key in others ? JSON.stringify(others[key]) : '—'}</del>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
