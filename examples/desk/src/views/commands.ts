import type { Desk } from '../state/desk.js'
import type { View } from '../state/page-state.js'
import type { Command } from './palette.js'
import { chooseSource, sourcesOf } from './sources.js'

export const VIEWS: readonly { readonly value: View; readonly label: string }[] = [
  { value: 'sheet', label: 'Preview' },
  { value: 'beside', label: 'Compare' },
  { value: 'hand', label: 'Form' },
  { value: 'reply', label: 'Reply' },
  { value: 'ask', label: 'Ask' },
  { value: 'runs', label: 'Runs' },
  { value: 'history', label: 'History' },
]
const FIRST_PROMPT = 'title: A first prompt\nvariables:\n  name: text\nturns:\n  - user: |\n      Say good day to {name}.\n'

/** Opens the source of the prompt, or closes it. */
export function toggleSource(desk: Desk): void {
  const { editing, selection } = desk.state
  desk.editing.open(editing.file === undefined ? desk.library.fileOf(selection.wanted.prompt) : undefined)
}

/** Puts the chosen record to the model, in every variant of the view. */
export function askNow(desk: Desk): void {
  desk.selection.show('ask')
  if (!desk.asking.isBusy) void desk.asking.askAll()
}

/** All that can be done with the library that is open. */
export function commandsOf(desk: Desk): Command[] {
  return [
    { name: 'Ask a model', keys: 'Ctrl+Enter', run: () => askNow(desk) },
    { name: 'Save all edits', keys: 'Ctrl+S', run: () => void desk.editing.saveAll() },
    {
      name: desk.state.editing.file === undefined ? 'Open the source' : 'Close the source',
      keys: 'Ctrl+E',
      run: () => toggleSource(desk),
    },
    ...VIEWS.map(({ value, label }) => ({ name: `View: ${label}`, run: () => desk.selection.show(value) })),
    { name: 'Go to the records', run: () => document.querySelector<HTMLElement>('.grid-row[tabindex="0"]')?.focus() },
    { name: 'Go to the sheet', run: () => document.querySelector<HTMLElement>('.segment[data-at="0"]')?.focus() },
    ...desk.library.promptNames.map((name) => ({ name: `Prompt: ${name}`, run: () => void desk.selection.choosePrompt(name) })),
    ...sourcesOf(desk).map(({ value, label }) => ({ name: `Records: ${label}`, run: () => chooseSource(desk, value) })),
    ...Object.keys(desk.state.library.files).map((path) => ({ name: `File: ${path}`, run: () => desk.editing.open(path) })),
    ...desk.editing.edited.map((path) => ({ name: `Revert ${path}`, run: () => desk.editing.revert(path) })),
    { name: 'New prompt', run: () => beginPrompt(desk) },
    ...Object.entries(TEMPLATES).map(([folder, text]) => ({
      name: `New ${NOUNS[folder] ?? folder}`,
      run: () => desk.editing.create(freeName(desk, folder), text),
    })),
  ]
}

/** A new prompt's own file, in the editor; the first one of a library is selected at once. */
export function beginPrompt(desk: Desk): void {
  desk.editing.create(freeName(desk, 'prompts'), FIRST_PROMPT)
}

/** What a new file of each kind begins with: valid, and with something to change. */
const TEMPLATES: Readonly<Record<string, string>> = {
  snippets: 'title: A first snippet\ntext: |\n  Write short sentences.\n',
  personas:
    'title: A first persona\nwho: You are a careful clerk.\nvoice: [plain, exact]\nalways: [say what you do not know]\nnever: [guess]\n',
  outputs: 'title: A first output\nkind: fields\nfields:\n  heading: { type: text, max-words: 8 }\n  body: text\n',
}
const NOUNS: Readonly<Record<string, string>> = { snippets: 'snippet', personas: 'persona', outputs: 'output' }

function freeName(desk: Desk, folder: string): string {
  for (let i = 1; ; i++) {
    const path = `${folder}/first${i === 1 ? '' : `-${i}`}.yaml`
    if (!(path in desk.state.library.files)) return path
  }
}
