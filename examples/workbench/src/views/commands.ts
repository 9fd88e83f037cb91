import type { Bench } from '../state/bench.js'
import type { View } from '../state/page-state.js'
import type { Command } from './palette.js'
import { chooseSource, sourcesOf } from './sources.js'

export const VIEWS: readonly { readonly value: View; readonly label: string }[] = [
  { value: 'sheet', label: 'Sheet' },
  { value: 'beside', label: 'Side by side' },
  { value: 'hand', label: 'Form' },
  { value: 'reply', label: 'Reply' },
]
const FIRST_PROMPT = 'title: A first prompt\nvariables:\n  name: text\nturns:\n  - user: |\n      Say good day to {name}.\n'

/** Opens the source of the prompt, or closes it. */
export function toggleSource(bench: Bench): void {
  const { editing, selection } = bench.state
  bench.editing.open(editing.file === undefined ? bench.library.fileOf(selection.wanted.prompt) : undefined)
}

/** All that can be done with the library that is open. */
export function commandsOf(bench: Bench): Command[] {
  return [
    { name: 'Save all edits', keys: 'Ctrl+S', run: () => void bench.editing.saveAll() },
    {
      name: bench.state.editing.file === undefined ? 'Open the source' : 'Close the source',
      keys: 'Ctrl+E',
      run: () => toggleSource(bench),
    },
    ...VIEWS.map(({ value, label }) => ({ name: `View: ${label}`, run: () => bench.selection.show(value) })),
    { name: 'Go to the records', run: () => document.querySelector<HTMLElement>('.grid-row[tabindex="0"]')?.focus() },
    { name: 'Go to the sheet', run: () => document.querySelector<HTMLElement>('.stretch[data-at="0"]')?.focus() },
    ...bench.library.promptNames.map((name) => ({ name: `Prompt: ${name}`, run: () => void bench.selection.choosePrompt(name) })),
    ...sourcesOf(bench).map(({ value, label }) => ({ name: `Records: ${label}`, run: () => chooseSource(bench, value) })),
    ...Object.keys(bench.state.library.files).map((path) => ({ name: `File: ${path}`, run: () => bench.editing.open(path) })),
    ...bench.editing.edited.map((path) => ({ name: `Revert ${path}`, run: () => bench.editing.revert(path) })),
    { name: 'New prompt', run: () => beginPrompt(bench) },
  ]
}

/** A file of its own for a new prompt, in the editor; the first one of a library is looked at at once. */
export function beginPrompt(bench: Bench): void {
  bench.editing.create(freeName(bench), FIRST_PROMPT)
}

function freeName(bench: Bench): string {
  for (let i = 1; ; i++) {
    const path = `prompts/first${i === 1 ? '' : `-${i}`}.yaml`
    if (!(path in bench.state.library.files)) return path
  }
}
