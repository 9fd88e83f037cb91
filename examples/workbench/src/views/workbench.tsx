import { Button, Loader, SegmentedControl, Select, Tooltip, useMantineColorScheme } from '@mantine/core'
import { useEffect, useMemo, useState } from 'react'
import type { Bench, View } from '../bench/bench.js'
import { ServiceFault } from '../bench/service.js'
import { BesideView } from './beside.js'
import { ConflictDialog } from './conflict.js'
import { Grid } from './grid.js'
import { HandView } from './hand.js'
import { Meter } from './meter.js'
import { Palette, type Command } from './palette.js'
import { ReplyView } from './reply.js'
import { SheetView } from './sheet.js'
import { SourceView } from './source.js'
import { NumberStyle, useBench } from './use-bench.js'

const VIEWS: readonly { readonly value: View; readonly label: string }[] = [
  { value: 'sheet', label: 'Sheet' },
  { value: 'beside', label: 'Side by side' },
  { value: 'hand', label: 'By hand' },
  { value: 'reply', label: 'Reply' },
]
const FIRST_PROMPT = 'title: A first prompt\nvariables:\n  name: text\nturns:\n  - user: |\n      Say good day to {name}.\n'

/** The page: records, the sheet of the chosen one, and beside it, when it is wanted, the source. */
export function Workbench({ bench }: { bench: Bench }) {
  const [state, setState] = useState<'begins' | 'ready' | { fault: string }>('begins')
  useEffect(() => {
    bench.begin().then(
      () => setState('ready'),
      (fault: unknown) => setState({ fault: fault instanceof ServiceFault ? fault.message : String(fault) }),
    )
  }, [bench])
  if (state === 'begins')
    return (
      <main className="alone">
        <Loader size="sm" /> Opening the library …
      </main>
    )
  if (state !== 'ready')
    return (
      <main className="alone" role="alert">
        {state.fault}
      </main>
    )
  return <Ready bench={bench} />
}

function Ready({ bench }: { bench: Bench }) {
  const { library, wanted, tablePath, table, file, view, edited, note, data } = useBench(bench)
  const [palette, setPalette] = useState(false)
  const [numbers, setNumbers] = useState(navigator.language.startsWith('de') ? 'de' : 'en')
  const { colorScheme, setColorScheme } = useMantineColorScheme()
  const dark = colorScheme === 'dark' || (colorScheme === 'auto' && matchMedia('(prefers-color-scheme: dark)').matches)
  const errors = library.problems.filter((p) => p.severity === 'error')
  const openSource = () => bench.set({ file: file === undefined ? bench.fileOf(wanted.prompt) : undefined })

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey)) return
      const act = { k: () => setPalette(true), s: () => void bench.saveAll(), e: openSource }[event.key.toLowerCase()]
      if (!act) return
      event.preventDefault()
      act()
    }
    const look = () => void bench.lookAgain()
    window.addEventListener('keydown', key)
    window.addEventListener('focus', look)
    return () => {
      window.removeEventListener('keydown', key)
      window.removeEventListener('focus', look)
    }
  })

  const sources = [
    ...bench.batchesOf(wanted.prompt).map((name) => ({ value: `batch ${name}`, label: `batch ${name}` })),
    ...data.data.map(({ path }) => ({ value: `table ${path}`, label: path })),
  ]
  const source = wanted.batch !== undefined ? `batch ${wanted.batch}` : tablePath === undefined ? null : `table ${tablePath}`
  const chooseSource = (value: string | null) => {
    if (value?.startsWith('batch ')) void bench.chooseSource({ batch: value.slice(6) })
    else if (value) void bench.chooseSource({ table: value.slice(6) })
  }
  const commands = useMemo<Command[]>(
    () => [
      { name: 'Save what is edited', keys: 'Ctrl+S', run: () => void bench.saveAll() },
      { name: file === undefined ? 'Open the source' : 'Close the source', keys: 'Ctrl+E', run: openSource },
      ...VIEWS.map(({ value, label }) => ({ name: `View: ${label}`, run: () => bench.set({ view: value }) })),
      { name: 'Go to the records', run: () => document.querySelector<HTMLElement>('.grid-row[tabindex="0"]')?.focus() },
      { name: 'Go to the sheet', run: () => document.querySelector<HTMLElement>('.stretch[data-at="0"]')?.focus() },
      ...bench.promptNames.map((name) => ({ name: `Prompt: ${name}`, run: () => void bench.choosePrompt(name) })),
      ...sources.map(({ value, label }) => ({ name: `Records: ${label}`, run: () => chooseSource(value) })),
      ...Object.keys(bench.files).map((path) => ({ name: `File: ${path}`, run: () => bench.set({ file: path }) })),
      ...edited.map((path) => ({ name: `Take back the edits of ${path}`, run: () => bench.revert(path) })),
      { name: 'New prompt', run: () => bench.create(freeName(bench), FIRST_PROMPT) },
      { name: dark ? 'Light colours' : 'Dark colours', run: () => setColorScheme(dark ? 'light' : 'dark') },
      {
        name: numbers === 'en' ? 'Numbers as in German: 1.890,5' : 'Numbers as in English: 1,890.5',
        run: () => setNumbers(numbers === 'en' ? 'de' : 'en'),
      },
    ],
    [bench, bench.version, dark, numbers],
  )
  return (
    <NumberStyle.Provider value={numbers}>
      <div className={file === undefined ? 'bench' : 'bench with-source'}>
        <header className="bench-head">
          <h1>{library.title ?? data.folder}</h1>
          <Select
            size="xs"
            w={190}
            aria-label="prompt"
            searchable
            data={[...bench.promptNames]}
            value={wanted.prompt || null}
            placeholder="no prompt yet"
            allowDeselect={false}
            onChange={(next) => next && void bench.choosePrompt(next)}
          />
          <Select
            size="xs"
            w={210}
            aria-label="records from"
            data={sources}
            value={source}
            placeholder={table?.name ?? 'no table'}
            allowDeselect={false}
            onChange={chooseSource}
          />
          <SegmentedControl
            size="xs"
            aria-label="view"
            data={[...VIEWS]}
            value={view}
            onChange={(next) => bench.set({ view: next })}
          />
          <span className="spring" />
          {errors.length > 0 && (
            <Tooltip
              label={errors
                .slice(0, 6)
                .map((p) => p.message)
                .join('\n')}
              multiline
              maw={480}
              withArrow
            >
              <Button size="compact-xs" color="red" variant="light" onClick={() => openFirst(bench)}>
                {errors.length === 1 ? '1 error' : `${errors.length} errors`}
              </Button>
            </Tooltip>
          )}
          <Button
            size="compact-xs"
            variant={file === undefined ? 'default' : 'filled'}
            onClick={openSource}
            aria-pressed={file !== undefined}
          >
            Source
          </Button>
          <Button
            size="compact-xs"
            variant={edited.length > 0 ? 'filled' : 'default'}
            disabled={edited.length === 0}
            onClick={() => void bench.saveAll()}
          >
            {edited.length > 1 ? `Save ${edited.length}` : 'Save'}
          </Button>
          <Button size="compact-xs" variant="default" onClick={() => setPalette(true)} aria-label="commands, Ctrl+K">
            ⌘ Ctrl+K
          </Button>
        </header>
        <Grid bench={bench} />
        <main className="stage" aria-label={VIEWS.find(({ value }) => value === view)!.label}>
          {view === 'sheet' && <SheetView bench={bench} />}
          {view === 'beside' && <BesideView bench={bench} />}
          {view === 'hand' && (
            <div className="hand-pair">
              <HandView bench={bench} />
              <SheetView bench={bench} />
            </div>
          )}
          {view === 'reply' && <ReplyView bench={bench} />}
        </main>
        {file !== undefined && <SourceView bench={bench} onClose={() => bench.set({ file: undefined })} />}
        <footer className="bench-foot">
          <Meter bench={bench} />
          {note && (
            <span role="status" className={note.bad ? 'note bad' : 'note'}>
              {note.says}
            </span>
          )}
        </footer>
        <Palette open={palette} commands={commands} onClose={() => setPalette(false)} />
        <ConflictDialog bench={bench} />
      </div>
    </NumberStyle.Provider>
  )
}

function openFirst(bench: Bench): void {
  const first = bench.library.problems.find((p) => p.severity === 'error' && p.place && p.span)
  if (!first) return
  const { source, start, end } = first.span!
  bench.jump({ file: first.place!.file, start: source.fileOffset(start), end: source.fileOffset(Math.max(start, end - 1)) + 1 })
}

function freeName(bench: Bench): string {
  for (let i = 1; ; i++) {
    const path = `prompts/first${i === 1 ? '' : `-${i}`}.yaml`
    if (!(path in bench.files)) return path
  }
}
