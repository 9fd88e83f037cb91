import { Button, Group, NumberInput, Progress, Select } from '@mantine/core'
import type { Library } from 'dunelight'
import { useEffect, useMemo } from 'react'
import type { Desk } from '../state/desk.js'
import { editedFiles } from '../state/page-state.js'
import type { Estimate, ListedRun } from '../state/runs-data.js'
import { AssembleView } from './assemble.js'
import { ReviewView } from './review.js'
import { useDesk, useNumber } from './use-desk.js'
import './runs.css'

/** The runs of the library: one is begun of the chosen records, others are watched, opened and reviewed. */
export function RunsView({ desk }: { desk: Desk }) {
  const { open, list, doing } = useDesk(desk, (s) => s.runs)
  useEffect(() => {
    void desk.runs.refresh()
    void desk.asking.readModels()
  }, [desk])
  if (open) return open.isAssembly ? <AssembleView desk={desk} open={open} /> : <ReviewView desk={desk} open={open} />
  return (
    <section className="runs" aria-label="runs">
      <NewRun desk={desk} />
      {doing !== undefined && (
        <p role="status" className="quiet runs-doing">
          {doing}
        </p>
      )}
      {list?.length === 0 && <p className="empty">No table has been asked for yet. Estimate one above, then start it.</p>}
      {list && list.length > 0 && <RunList desk={desk} list={list} />}
    </section>
  )
}

/** What a run of the chosen records would need, and its start. */
function NewRun({ desk }: { desk: Desk }) {
  const wanted = useDesk(desk, (s) => s.selection.wanted)
  const table = useDesk(desk, (s) => s.table)
  const models = useDesk(desk, (s) => s.asking.models)
  const library = useDesk(desk, (s) => s.shown.library)
  const { model, take, estimate, doing, assembly } = useDesk(desk, (s) => s.runs)
  const batches = useMemo(() => assemblyBatches(library), [library])
  const edited = useDesk(desk, (s) => editedFiles(s.library).length)
  const canRun = desk.runs.wanted !== undefined
  return (
    <div className="new-run">
      <h2>
        {assembly?.name ?? wanted.prompt} <span className="quiet">for</span>{' '}
        {assembly?.batch ?? wanted.batch ?? table.path ?? 'no table of the library'}
      </h2>
      <Group gap="xs" align="end">
        {batches.length > 0 && (
          <Select
            size="xs"
            label="assembly"
            placeholder="none: the chosen prompt"
            clearable
            clearButtonProps={{ 'aria-label': 'no assembly' }}
            w={220}
            data={batches.map(({ batch }) => batch)}
            value={assembly?.batch ?? null}
            onChange={(name) => desk.runs.choose({ assembly: batches.find(({ batch }) => batch === name) })}
          />
        )}
        <Select
          size="xs"
          label="model"
          w={180}
          data={(models?.models ?? []).map(({ name }) => name)}
          value={model ?? models?.usual ?? null}
          allowDeselect={false}
          onChange={(name) => name !== null && desk.runs.choose({ model: name })}
        />
        <NumberInput
          size="xs"
          label="first records only"
          placeholder="all"
          w={130}
          min={1}
          allowDecimal={false}
          value={take ?? ''}
          onChange={(value) => desk.runs.choose({ take: typeof value === 'number' ? value : undefined })}
        />
        <Button size="xs" variant="default" disabled={!canRun || doing !== undefined} onClick={() => void desk.runs.estimate()}>
          Estimate
        </Button>
        <Button size="xs" disabled={!estimate || edited > 0 || doing !== undefined} onClick={() => void desk.runs.begin()}>
          Start the run
        </Button>
        {edited > 0 && (
          <span className="quiet">
            A run takes the saved files:{' '}
            <button type="button" className="to-row" onClick={() => void desk.editing.saveAll()}>
              save {edited === 1 ? 'the edited file' : `${edited} edited files`}
            </button>
          </span>
        )}
      </Group>
      {estimate && <EstimateLine estimate={estimate} />}
    </div>
  )
}

/** The batches whose records become documents of several prompts. */
function assemblyBatches({ artefacts }: Library): readonly { readonly name: string; readonly batch: string }[] {
  return [...artefacts.batches.values()].flatMap(({ name: batch, prompt }) =>
    prompt && artefacts.assemblies.has(prompt.name) ? [{ name: prompt.name, batch }] : [],
  )
}

function EstimateLine({ estimate }: { estimate: Estimate }) {
  const number = useNumber()
  const { records, fit, tokens, isEstimated, model, isMock, cost, seconds, left } = estimate
  const parts = [
    `${number(fit)} ${fit === 1 ? 'record' : 'records'} for ${model}`,
    ...(records > fit ? [`${number(records - fit)} rejected`] : []),
    `${isEstimated ? 'about ' : ''}${number(tokens)} tokens to send`,
    ...(cost === undefined ? [] : [`${cost} without the replies`]),
    ...(seconds === undefined || seconds === 0 ? [] : [`at least ${Math.ceil(seconds / 60)} min`]),
    ...(isMock ? ['mock: costs nothing'] : []),
  ]
  return (
    <p role="status" className="estimate">
      {parts.join(' · ')}
      {left !== undefined && (
        <span className={left < fit ? 'bad' : 'quiet'}>
          {' '}
          · {number(left)} requests left in this session{left < fit ? ': it will pause there' : ''}
        </span>
      )}
    </p>
  )
}

const STATE_WORDS: Readonly<Record<ListedRun['state'], string>> = {
  running: '▶ running',
  done: '✓ done',
  waiting: '… waits for a choice',
  interrupted: '‖ paused',
  failed: '✕ failed',
  crashed: '✕ broken off',
}

function RunList({ desk, list }: { desk: Desk; list: readonly ListedRun[] }) {
  const number = useNumber()
  return (
    <div className="run-scroll">
      <table className="run-list" aria-label="runs of this library">
        <thead>
          <tr>
            {['run', 'state', 'prompt', 'model', 'answers', 'rejected', 'tokens', 'began', 'next'].map((title) => (
              <th key={title} scope="col" className={NUMBERS.has(title) ? 'figure' : ''}>
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {list.map((run) => {
            const { counts, asking, fault } = run
            const usage = counts?.usage
            return (
              <tr key={run.run}>
                <th scope="row">
                  {asking ? (
                    <button
                      type="button"
                      className="to-row"
                      onClick={() => void desk.runs.open(run.run)}
                      disabled={run.state === 'running'}
                    >
                      {run.run}
                    </button>
                  ) : (
                    run.run
                  )}
                </th>
                <td>
                  <span className={`run-${run.state}`}>{STATE_WORDS[run.state]}</span>
                  {run.state === 'running' && run.share !== undefined && (
                    <Progress value={run.share * 100} size="sm" w={90} aria-label={`progress of ${run.run}`} />
                  )}
                  {fault !== undefined && <span className="bad run-fault">{fault}</span>}
                </td>
                <td>{run.prompt}</td>
                <td>
                  {asking ? asking.model : <span className="quiet">rendered only</span>}{' '}
                  {asking?.isMock && asking.model !== 'mock' && <span className="mock">mock</span>}
                </td>
                <td className="figure">{counts ? number(counts.written) : ''}</td>
                <td className="figure">{counts ? number(counts.rejected) : ''}</td>
                <td className="figure">{usage && usage.sent + usage.received > 0 ? number(usage.sent + usage.received) : ''}</td>
                <td>{new Date(run.started).toLocaleString(undefined, { dateStyle: 'short', timeStyle: 'short' })}</td>
                <td>
                  {run.state === 'running' && (
                    <Button
                      size="compact-xs"
                      variant="default"
                      aria-label={`pause ${run.run}`}
                      onClick={() => void desk.runs.pause(run.run)}
                    >
                      Pause
                    </Button>
                  )}
                  {asking && run.state !== 'running' && run.state !== 'done' && (
                    <Button
                      size="compact-xs"
                      variant="default"
                      aria-label={`resume ${run.run}`}
                      onClick={() => void desk.runs.resume(run.run)}
                    >
                      Resume
                    </Button>
                  )}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </div>
  )
}

const NUMBERS: ReadonlySet<string> = new Set(['answers', 'rejected', 'tokens'])
