import { defined } from 'dunelight/host'
import { Loader, useMantineColorScheme } from '@mantine/core'
import { useCallback, useEffect, useMemo, useState } from 'react'
import type { Desk } from '../state/desk.js'
import type { View } from '../state/page-state.js'
import { LOST, ServiceFault } from '../state/service.js'
import { AskView } from './ask.js'
import { BesideView } from './beside.js'
import { askNow, commandsOf, toggleSource, VIEWS } from './commands.js'
import { ConflictDialog } from './conflict.js'
import { Grid } from './grid.js'
import { HandView } from './hand.js'
import { Header } from './header.js'
import { HistoryView } from './history.js'
import { insertionsOf } from './insertions.js'
import { Meter } from './meter.js'
import { Palette, type Command } from './palette.js'
import { ReplyView } from './reply.js'
import { RunsView } from './runs.js'
import { SheetView } from './sheet.js'
import { SourceView } from './source.js'
import { NumberStyle, useDesk } from './use-desk.js'
import './desk-page.css'

/** The page: records, the sheet of the chosen one, and beside it, when it is wanted, the source. */
export function DeskPage({ opening }: { opening: Promise<Desk> }) {
  const [desk, setDesk] = useState<Desk>()
  const [fault, setFault] = useState<string>()
  useEffect(() => {
    opening.then(setDesk, (thrown: unknown) => setFault(thrown instanceof ServiceFault ? thrown.message : String(thrown)))
  }, [opening])
  if (desk) return <Ready desk={desk} />
  return (
    <main className="alone" {...(fault !== undefined && { role: 'alert' })}>
      {fault === undefined ? (
        <>
          <Loader size="sm" /> Opening the library …
        </>
      ) : (
        fault
      )}
    </main>
  )
}

function Ready({ desk }: { desk: Desk }) {
  const isSourceOpen = useDesk(desk, (s) => s.editing.file !== undefined)
  const view = useDesk(desk, (s) => s.selection.view)
  const [palette, setPalette] = useState(false)
  const [numbers, setNumbers] = useState(navigator.language.startsWith('de') ? 'de' : 'en')
  const { colorScheme, setColorScheme } = useMantineColorScheme()
  const dark = colorScheme === 'dark' || (colorScheme === 'auto' && matchMedia('(prefers-color-scheme: dark)').matches)
  const openPalette = useCallback(() => setPalette(true), [])
  const [inserting, setInserting] = useState(false)
  const openInsert = useCallback(() => setInserting(true), [])
  const insertions = useMemo(() => (inserting ? insertionsOf(desk) : []), [desk, inserting])

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey)) return
      // Before the editor's own meaning of it; a text that is edited by hand has its own.
      if (event.key === 'Enter' && !(event.target as HTMLElement).closest('.edit-answer')) {
        event.preventDefault()
        event.stopPropagation()
        askNow(desk)
        return
      }
      const act = { k: openPalette, i: openInsert, s: () => void desk.editing.saveAll(), e: () => toggleSource(desk) }[
        event.key.toLowerCase()
      ]
      if (!act) return
      event.preventDefault()
      act()
    }
    const look = () => void desk.editing.lookAgain()
    window.addEventListener('keydown', key, true)
    window.addEventListener('focus', look)
    return () => {
      window.removeEventListener('keydown', key, true)
      window.removeEventListener('focus', look)
    }
  }, [desk, openPalette, openInsert])

  const commands = useMemo<Command[]>(() => {
    if (!palette) return []
    const other = numbers === 'en' ? 'de' : 'en'
    return [
      ...commandsOf(desk),
      { name: 'Insert at the cursor of the source', keys: 'Ctrl+I', run: openInsert },
      { name: dark ? 'Light colours' : 'Dark colours', run: () => setColorScheme(dark ? 'light' : 'dark') },
      { name: other === 'de' ? 'Numbers as in German: 1.890,5' : 'Numbers as in English: 1,890.5', run: () => setNumbers(other) },
    ]
  }, [desk, palette, dark, numbers, setColorScheme])
  return (
    <NumberStyle.Provider value={numbers}>
      <div className={['desk', ...(isSourceOpen ? ['with-source'] : []), ...(WIDE[view] ?? [])].join(' ')}>
        <Header desk={desk} onPalette={openPalette} />
        {!ALONE.includes(view) && <Grid desk={desk} />}
        <main className="stage" aria-label={defined(VIEWS.find(({ value }) => value === view)).label}>
          {view === 'sheet' && <SheetView desk={desk} />}
          {view === 'beside' && <BesideView desk={desk} />}
          {view === 'hand' && (
            <div className="hand-pair">
              <HandView desk={desk} />
              <SheetView desk={desk} />
            </div>
          )}
          {view === 'reply' && <ReplyView desk={desk} />}
          {view === 'ask' && <AskView desk={desk} />}
          {view === 'runs' && <RunsView desk={desk} />}
          {view === 'history' && <HistoryView desk={desk} />}
        </main>
        {isSourceOpen && <SourceView desk={desk} onClose={() => desk.editing.open(undefined)} onInsert={openInsert} />}
        <footer className="desk-foot">
          <Meter desk={desk} />
          <LostLine desk={desk} />
          <NoteLine desk={desk} />
        </footer>
        <Palette open={palette} commands={commands} onClose={() => setPalette(false)} />
        <Palette
          open={inserting}
          commands={insertions}
          title="Insert at the cursor"
          placeholder="a variable, a field, a snippet, a format …"
          onClose={() => setInserting(false)}
        />
        <ConflictDialog desk={desk} />
      </div>
    </NumberStyle.Provider>
  )
}

/** How much of the width a view takes from the records. */
const WIDE: Readonly<Partial<Record<View, readonly string[]>>> = { ask: ['asking'], runs: ['alone-view'], history: ['alone-view'] }
/** Views without the records beside them. */
const ALONE: readonly View[] = ['runs', 'history']

/** Said while the server does not answer: nothing that is edited is lost. */
function LostLine({ desk }: { desk: Desk }) {
  const isLost = useDesk(desk, (s) => s.isLost)
  if (!isLost) return null
  return (
    <span role="alert" className="note bad">
      {LOST} Your edits are kept here; the page goes on when it answers.
    </span>
  )
}

/** What the last action did, or why it failed. */
function NoteLine({ desk }: { desk: Desk }) {
  const note = useDesk(desk, (s) => s.note)
  if (!note) return null
  return (
    <span role="status" className={note.bad ? 'note bad' : 'note'}>
      {note.message}
    </span>
  )
}
