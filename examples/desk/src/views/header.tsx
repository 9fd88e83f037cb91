import { defined } from 'dunelight/host'
import { Button, SegmentedControl, Tooltip } from '@mantine/core'
import { memo } from 'react'
import type { Desk } from '../state/desk.js'
import { editedFiles, type View } from '../state/page-state.js'
import { Chooser, choices } from './chooser.js'
import { toggleSource, VIEWS } from './commands.js'
import { placeIn } from './origins.js'
import { chooseSource, sourceOf, sourcesOf } from './sources.js'
import { useDesk } from './use-desk.js'

/** The prompt, its records, the views, and the commands. */
export function Header({ desk, onPalette }: { desk: Desk; onPalette: () => void }) {
  const library = useDesk(desk, (s) => s.shown.library)
  const folder = useDesk(desk, (s) => s.library.data.folder)
  const wanted = useDesk(desk, (s) => s.selection.wanted)
  const view = useDesk(desk, (s) => s.selection.view)
  const { table, path } = useDesk(desk, (s) => s.table)
  const isOpen = useDesk(desk, (s) => s.editing.file !== undefined)
  const edited = useDesk(desk, (s) => editedFiles(s.library).length)
  const errors = library.problems.filter((p) => p.severity === 'error').map((p) => p.message)
  return (
    <header className="desk-head">
      <h1>{library.title ?? folder}</h1>
      <Chooser
        label="prompt"
        width={190}
        data={choices(desk.library.promptNames)}
        value={wanted.prompt || null}
        placeholder="no prompt yet"
        onChoose={(name) => void desk.selection.choosePrompt(name)}
      />
      <Chooser
        label="records from"
        width={210}
        data={sourcesOf(desk)}
        value={sourceOf(wanted, path)}
        placeholder={table?.name ?? 'no table'}
        onChoose={(value) => chooseSource(desk, value)}
      />
      <Buttons desk={desk} view={view} open={isOpen} edited={edited} errors={errors.join('\n')} onPalette={onPalette} />
    </header>
  )
}

interface ButtonsProps {
  readonly desk: Desk
  readonly view: View
  readonly open: boolean
  readonly edited: number
  /** The sentences of all errors, a line each. */
  readonly errors: string
  readonly onPalette: () => void
}

const Buttons = memo(function Buttons({ desk, view, open, edited, errors, onPalette }: ButtonsProps) {
  const count = errors === '' ? 0 : errors.split('\n').length
  return (
    <>
      <SegmentedControl size="xs" aria-label="view" data={[...VIEWS]} value={view} onChange={(next) => desk.selection.show(next)} />
      <span className="spring" />
      {count > 0 && (
        <Tooltip label={errors.split('\n').slice(0, 6).join('\n')} multiline maw={480} withArrow>
          <Button size="compact-xs" color="red" variant="light" onClick={() => openFirst(desk)}>
            {count === 1 ? '1 error' : `${count} errors`}
          </Button>
        </Tooltip>
      )}
      <Button size="compact-xs" variant={open ? 'filled' : 'default'} onClick={() => toggleSource(desk)} aria-pressed={open}>
        Source
      </Button>
      <Button
        size="compact-xs"
        variant={edited > 0 ? 'filled' : 'default'}
        disabled={edited === 0}
        onClick={() => void desk.editing.saveAll()}
      >
        {edited > 1 ? `Save ${edited}` : 'Save'}
      </Button>
      <Button size="compact-xs" variant="default" onClick={onPalette} aria-label="commands, Ctrl+K">
        Ctrl+K
      </Button>
    </>
  )
})

function openFirst(desk: Desk): void {
  const first = desk.state.shown.library.problems.find((p) => p.severity === 'error' && p.place && p.span)
  if (!first) return
  desk.editing.jump(placeIn(defined(first.place).file, defined(first.span)))
}
