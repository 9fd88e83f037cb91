import { Button, Checkbox, Group, TextInput } from '@mantine/core'
import { diffWordsWithSpace } from 'diff'
import { useState } from 'react'
import type { Desk } from '../state/desk.js'
import { editedFiles } from '../state/page-state.js'
import type { Difference, ProductionData, ShownChange, ShownEdition } from '../state/production.js'
import { useDesk } from './use-desk.js'
import './history.css'

/** The editions of a prompt and the commits that changed it; beside them, what differs from the files as they are now. */
export function HistoryView({ desk }: { desk: Desk }) {
  const { data, chosen, difference, doing } = useDesk(desk, (s) => s.production)
  return (
    <section className="history" aria-label="history">
      <div className="history-list">
        <PublishBar desk={desk} />
        <p role="status" className="quiet history-doing">
          {doing}
        </p>
        {data && <Editions desk={desk} data={data} chosen={chosen} />}
        {data && <Timeline desk={desk} data={data} chosen={chosen} />}
      </div>
      <div className="history-difference" aria-live="polite" tabIndex={0} aria-label="what differs">
        {difference ? (
          <DifferenceOf difference={difference} />
        ) : (
          <p className="empty">{doing ?? 'Choose an edition or a commit: what has changed since then is shown here.'}</p>
        )}
      </div>
    </section>
  )
}

interface PartProps {
  readonly desk: Desk
  readonly data: ProductionData
  readonly chosen: string | undefined
}

/** Makes an edition of the saved files. */
function PublishBar({ desk }: { desk: Desk }) {
  const edited = useDesk(desk, (s) => editedFiles(s.library).length)
  const [note, setNote] = useState('')
  const [uncommitted, setUncommitted] = useState(false)
  const publish = async () => {
    if (await desk.production.publish(note, uncommitted)) setNote('')
  }
  return (
    <Group gap="xs" align="flex-end" className="publish-bar">
      <TextInput size="xs" label="what is new" value={note} onChange={(event) => setNote(event.currentTarget.value)} w={190} />
      <Button size="xs" disabled={edited > 0} onClick={() => void publish()}>
        Publish
      </Button>
      <Checkbox
        size="xs"
        label="although not committed"
        checked={uncommitted}
        onChange={(event) => setUncommitted(event.currentTarget.checked)}
      />
      {edited > 0 && <span className="quiet">Save the edited files first.</span>}
    </Group>
  )
}

function Editions({ desk, data, chosen }: PartProps) {
  return (
    <>
      <h2>Editions</h2>
      {data.editions.length === 0 && <p className="quiet">There are none yet.</p>}
      <ol className="editions">
        {data.editions.map((edition) => (
          <li key={edition.number} className={chosen === String(edition.number) ? 'chosen' : undefined}>
            <button type="button" className="history-row" onClick={() => void desk.production.choose(String(edition.number))}>
              <strong>{edition.number}</strong>
              <span>{edition.note ?? (edition.sameAs === undefined ? '' : `the wording of ${edition.sameAs}`)}</span>
              <span className="quiet">
                {edition.created.slice(0, 10)} {edition.author}
              </span>
            </button>
            <Standing edition={edition} />
            <Channels desk={desk} data={data} edition={edition} />
          </li>
        ))}
      </ol>
      {data.channelCommand !== undefined && (
        <label className="standing">
          a channel is moved in a terminal:
          <input readOnly value={data.channelCommand} onFocus={(event) => event.currentTarget.select()} />
        </label>
      )}
      {data.problems.map((message) => (
        <p key={message} className="bad">
          {message}
        </p>
      ))}
    </>
  )
}

/** Whose signatures an edition has, and the command that makes the next one. */
function Standing({ edition: { state, words, command } }: { edition: ShownEdition }) {
  if (state === 'free') return null
  return (
    <p className={`standing standing-${state}`}>
      {words}
      {command !== undefined && (
        <label>
          sign in a terminal:
          <input readOnly value={command} onFocus={(event) => event.currentTarget.select()} />
        </label>
      )}
    </p>
  )
}

function Channels({ desk, data, edition }: { readonly desk: Desk; readonly data: ProductionData; readonly edition: ShownEdition }) {
  const others =
    data.hasApprovers || edition.state === 'revoked' ? [] : data.channels.filter((channel) => !edition.channels.includes(channel))
  return (
    <p className="edition-channels">
      {edition.channels.map((channel) => (
        <span key={channel} className="channel">
          {channel}
        </span>
      ))}
      {others.map((channel) => (
        <button key={channel} type="button" className="to-row" onClick={() => void desk.production.point(channel, edition.number)}>
          make it {channel}
        </button>
      ))}
    </p>
  )
}

function Timeline({ desk, data, chosen }: PartProps) {
  return (
    <>
      <h2>Commits that changed it</h2>
      {data.historyNotes.map((message) => (
        <p key={message} className="quiet">
          {message}
        </p>
      ))}
      <ol className="timeline">
        {data.history.map((change) => (
          <TimelineEntry key={change.commit ?? 'now'} desk={desk} change={change} isChosen={chosen === `git:${change.commit ?? ''}`} />
        ))}
      </ol>
    </>
  )
}

function TimelineEntry({ desk, change, isChosen }: { readonly desk: Desk; readonly change: ShownChange; readonly isChosen: boolean }) {
  const { commit, time = '', author, subject, what, editions } = change
  const by = (
    <span className="quiet">
      {commit === undefined ? 'not committed' : `${time.slice(0, 10)} ${author ?? ''}`} · {what}
      {editions.length > 0 && ` · edition ${editions.join(', ')}`}
    </span>
  )
  if (commit === undefined)
    return (
      <li className="history-row">
        <span>The files as they are now</span>
        {by}
      </li>
    )
  return (
    <li className={isChosen ? 'chosen' : undefined}>
      <button type="button" className="history-row" onClick={() => void desk.production.choose(`git:${commit}`)}>
        <span>{subject}</span>
        {by}
      </button>
    </li>
  )
}

function DifferenceOf({ difference: { from, isSame, files, words, records } }: { difference: Difference }) {
  return (
    <>
      <h2>
        {from.replace(/(?<=@git:[\da-f]{12})[\da-f]+$/, '')} → the working files{isSame && ': the same wording'}
      </h2>
      {files.map(({ path, does, patch }) => (
        <div key={path}>
          <h3>
            {path}: {does}
          </h3>
          <pre className="patch">{(patch ?? 'It is not a text.').trimEnd().split('\n').map(patchLine)}</pre>
        </div>
      ))}
      <h3>Records: {words}</h3>
      {records.map(({ record, alike, role, first, other }) => (
        <div key={`${record} ${role}`}>
          <h4>
            {record}{' '}
            <span className="quiet">
              {alike > 0 && `and ${alike} more in the same words `}· {role}
            </span>
          </h4>
          <p className="reworded">{reworded(first, other)}</p>
        </div>
      ))}
    </>
  )
}

function patchLine(line: string, i: number) {
  const Mark = line.startsWith('+') ? 'ins' : line.startsWith('-') ? 'del' : 'span'
  return <Mark key={i}>{`${line}\n`}</Mark>
}

/** Two texts as one, with the words that differ; long passages that are the same are cut. */
function reworded(first: string, other: string) {
  const parts = diffWordsWithSpace(first, other)
  return parts.map(({ value, added, removed }, i) => {
    const Mark = added ? 'ins' : removed ? 'del' : 'span'
    return <Mark key={i}>{added || removed ? value : shortened(value, i > 0, i < parts.length - 1)}</Mark>
  })
}

/** Characters around a difference that are shown. */
const AROUND = 60

function shortened(text: string, hasBefore: boolean, hasAfter: boolean): string {
  const [head, tail] = [hasBefore ? text.slice(0, AROUND) : '', hasAfter ? text.slice(-AROUND) : '']
  return text.length <= head.length + tail.length + 3 ? text : `${head} … ${tail}`
}
