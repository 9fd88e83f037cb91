import type { Prompt } from 'dunelight'
import { defined } from 'dunelight/host'
import { Subject } from '../model/subject.js'
import { turnsText } from '../model/sheet.js'
import type { Desk } from './desk.js'
import { editedFiles, type View } from './page-state.js'

/** Which prompt, which records, which row, and in which view. */
export class SelectionActions {
  constructor(private readonly desk: Desk) {}

  /** Shows the prompt of the last visit, or the first that has a batch. */
  async begin(): Promise<void> {
    const { prompt, batch, table, row } = this.desk.kept.place
    const names = this.desk.library.promptNames
    const first =
      prompt !== undefined && names.includes(prompt)
        ? prompt
        : (names.find((name) => this.desk.library.batchesOf(name).length > 0) ?? names[0])
    if (first !== undefined) await this.choosePrompt(first, { batch, table, row })
  }

  async choosePrompt(
    name: string,
    at: { batch?: string | undefined; table?: string | undefined; row?: number | undefined } = {},
  ): Promise<void> {
    const { library, table, editing, data } = this.parts
    const batches = library.batchesOf(name)
    const batch = at.batch !== undefined && batches.includes(at.batch) ? at.batch : at.table === undefined ? batches[0] : undefined
    const file = editing.file === undefined ? undefined : library.fileOf(name)
    const isLatest = table.claim()
    this.desk.change({ selection: { wanted: { prompt: name, batch } }, table: { reading: true }, editing: { hand: undefined, file } })
    const path = batch === undefined ? (at.table ?? (await table.fitting())) : this.tableOf(batch)
    if (!isLatest()) return
    const needsValues = (this.wantedPrompt()?.variables.length ?? 0) > 0
    // Where no table fits, the form is what is left.
    if (path === undefined && data.data.length > 0 && needsValues && this.desk.state.selection.view === 'sheet') this.show('hand')
    await table.open(path, at.row ?? 0)
  }

  /** The selected prompt, also before its table has been read; undefined where it has errors. */
  wantedPrompt(): Prompt | undefined {
    const { shown, selection } = this.desk.state
    return new Subject(shown.library, selection.wanted, undefined, new Map()).prompt
  }

  /** Takes another table of the library, or the records of a batch. */
  async chooseSource(source: { readonly batch: string } | { readonly table: string }): Promise<void> {
    const { wanted } = this.desk.state.selection
    const batch = 'batch' in source ? source.batch : undefined
    this.desk.change({ selection: { wanted: { prompt: wanted.prompt, batch } }, table: { reading: true } })
    await this.desk.table.open('batch' in source ? this.tableOf(source.batch) : source.table, 0)
  }

  chooseRow(row: number): void {
    this.desk.change({ selection: { row }, editing: { hand: undefined } })
  }

  show(view: View): void {
    this.desk.change({ selection: { view } })
  }

  setBudget(budget: number | undefined): void {
    this.desk.change({ selection: { budget } })
  }

  /** Whether a row is rendered now, and differently than by the saved files. */
  stateNow(row: number): { fits: boolean; changed: boolean } {
    const { shown, library } = this.desk.state
    const text = turnsText(shown.subject, row)
    const isEdited = editedFiles(library).length > 0
    return { fits: text !== undefined, changed: isEdited && text !== turnsText(this.desk.saved(), row) }
  }

  private tableOf(batch: string): string {
    return defined(defined(this.desk.state.shown.library.artefacts.batches.get(batch)).records).path
  }

  private get parts() {
    const { library, table, state } = this.desk
    return { library, table, editing: state.editing, data: state.library.data }
  }
}
