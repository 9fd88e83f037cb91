import { defined } from 'dunelight/host'
import { Loader, useMantineColorScheme } from '@mantine/core'
import { useCallback, useEffect, useMemo, useState } from 'react'
import type { Bench } from '../state/bench.js'
import { ServiceFault } from '../state/service.js'
import { BesideView } from './beside.js'
import { commandsOf, toggleSource, VIEWS } from './commands.js'
import { ConflictDialog } from './conflict.js'
import { Grid } from './grid.js'
import { HandView } from './hand.js'
import { Header } from './header.js'
import { Meter } from './meter.js'
import { Palette, type Command } from './palette.js'
import { ReplyView } from './reply.js'
import { SheetView } from './sheet.js'
import { SourceView } from './source.js'
import { NumberStyle, useBench } from './use-bench.js'
import './workbench.css'

/** The page: records, the sheet of the chosen one, and beside it, when it is wanted, the source. */
export function Workbench({ opening }: { opening: Promise<Bench> }) {
  const [bench, setBench] = useState<Bench>()
  const [fault, setFault] = useState<string>()
  useEffect(() => {
    opening.then(setBench, (thrown: unknown) => setFault(thrown instanceof ServiceFault ? thrown.message : String(thrown)))
  }, [opening])
  if (bench) return <Ready bench={bench} />
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

function Ready({ bench }: { bench: Bench }) {
  const isSourceOpen = useBench(bench, (s) => s.editing.file !== undefined)
  const view = useBench(bench, (s) => s.selection.view)
  const [palette, setPalette] = useState(false)
  const [numbers, setNumbers] = useState(navigator.language.startsWith('de') ? 'de' : 'en')
  const { colorScheme, setColorScheme } = useMantineColorScheme()
  const dark = colorScheme === 'dark' || (colorScheme === 'auto' && matchMedia('(prefers-color-scheme: dark)').matches)
  const openPalette = useCallback(() => setPalette(true), [])

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey)) return
      const act = { k: openPalette, s: () => void bench.editing.saveAll(), e: () => toggleSource(bench) }[event.key.toLowerCase()]
      if (!act) return
      event.preventDefault()
      act()
    }
    const look = () => void bench.editing.lookAgain()
    window.addEventListener('keydown', key)
    window.addEventListener('focus', look)
    return () => {
      window.removeEventListener('keydown', key)
      window.removeEventListener('focus', look)
    }
  }, [bench, openPalette])

  const commands = useMemo<Command[]>(() => {
    if (!palette) return []
    const other = numbers === 'en' ? 'de' : 'en'
    return [
      ...commandsOf(bench),
      { name: dark ? 'Light colours' : 'Dark colours', run: () => setColorScheme(dark ? 'light' : 'dark') },
      { name: other === 'de' ? 'Numbers as in German: 1.890,5' : 'Numbers as in English: 1,890.5', run: () => setNumbers(other) },
    ]
  }, [bench, palette, dark, numbers, setColorScheme])
  return (
    <NumberStyle.Provider value={numbers}>
      <div className={isSourceOpen ? 'bench with-source' : 'bench'}>
        <Header bench={bench} onPalette={openPalette} />
        <Grid bench={bench} />
        <main className="stage" aria-label={defined(VIEWS.find(({ value }) => value === view)).label}>
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
        {isSourceOpen && <SourceView bench={bench} onClose={() => bench.editing.open(undefined)} />}
        <footer className="bench-foot">
          <Meter bench={bench} />
          <NoteLine bench={bench} />
        </footer>
        <Palette open={palette} commands={commands} onClose={() => setPalette(false)} />
        <ConflictDialog bench={bench} />
      </div>
    </NumberStyle.Provider>
  )
}

/** What the last action did, or why it failed. */
function NoteLine({ bench }: { bench: Bench }) {
  const note = useBench(bench, (s) => s.note)
  if (!note) return null
  return (
    <span role="status" className={note.bad ? 'note bad' : 'note'}>
      {note.says}
    </span>
  )
}
