import { problem } from 'dunelight/host'
import { Subject } from '../model/subject.js'
import { NO_DOCUMENTS, readDeskTable, type DeskTable } from '../model/table.js'
import type { Desk } from './desk.js'
import { NO_PASS } from './page-state.js'
import { ServiceFault } from './service.js'

/** Larger tables are not read to see whether they fit. */
const LARGE = 4 * 1024 * 1024

/** The records: a table of the library with the tables it is joined with, or a dropped file. */
export class TableActions {
  private turn = 0

  constructor(private readonly desk: Desk) {}

  /** Begins a choice of records. The result tells whether it is still the latest: a table of an older one is not shown. */
  claim(): () => boolean {
    const turn = ++this.turn
    return () => turn === this.turn
  }

  /** Reads a table of the library and shows its record; undefined for a prompt without one. */
  async open(path: string | undefined, row: number): Promise<void> {
    const isLatest = this.claim()
    if (path === undefined) {
      this.show(undefined, undefined, new Map(), 0)
      return
    }
    this.desk.change({ table: { path, reading: true } })
    try {
      const { wanted } = this.desk.state.selection
      const model = wanted.batch === undefined ? undefined : this.desk.state.shown.library.artefacts.batches.get(wanted.batch)
      const documents = await this.documentsOf(wanted.batch)
      const joined = new Map<string, DeskTable>()
      for (const join of model?.join ?? []) joined.set(join.path, await this.read(join.path, join))
      const table = await this.read(path, model?.records ?? {})
      if (!isLatest()) return
      if (documents) this.desk.change({ selection: { wanted: { ...wanted, values: documents } } })
      this.show(path, table, joined, row)
    } catch (fault) {
      if (!(fault instanceof ServiceFault)) throw fault
      if (isLatest()) this.show(path, unreadable(path, fault.message), new Map(), 0)
    }
  }

  /** Shows a file that was dropped on the page. */
  async drop(file: File): Promise<void> {
    const isLatest = this.claim()
    const table = await readDeskTable(file.stream(), file.name)
    if (!isLatest()) return
    this.desk.change({ selection: { wanted: { ...this.desk.state.selection.wanted, batch: undefined } } })
    this.show(undefined, table, new Map(), 0)
  }

  /** The table that is shown, if it fits the selected prompt; else the first of the library that does. */
  async fitting(): Promise<string | undefined> {
    const { table, library, shown, selection } = this.desk.state
    const small = library.data.data.filter(({ bytes }) => bytes < LARGE).map(({ path }) => path)
    for (const path of new Set([...(table.path === undefined ? [] : [table.path]), ...small])) {
      try {
        const { problems } = new Subject(shown.library, selection.wanted, await this.read(path, {}), new Map())
        if (problems.length === 0) return path
      } catch (fault) {
        if (!(fault instanceof ServiceFault)) throw fault
      }
    }
    return undefined
  }

  /** Documents that the batch gives to all of its records; the server reads them. */
  private async documentsOf(batch: string | undefined): Promise<Readonly<Record<string, unknown>> | undefined> {
    const model = batch === undefined ? undefined : this.desk.state.shown.library.artefacts.batches.get(batch)
    if (!model || batch === undefined) return undefined
    const variables = this.desk.selection.wantedPrompt()?.variables ?? []
    return variables.some(({ name, type }) => type.kind === 'file' && name in model.set) ? this.desk.service.valuesOf(batch) : undefined
  }

  private async read(
    path: string,
    { sheet, query }: { readonly sheet?: string | undefined; readonly query?: string | undefined },
  ): Promise<DeskTable> {
    const { stream, format } = await this.desk.service.table(path, {
      ...(sheet !== undefined && { sheet }),
      ...(query !== undefined && { query }),
    })
    return readDeskTable(stream, path, format)
  }

  private show(path: string | undefined, table: DeskTable | undefined, joined: ReadonlyMap<string, DeskTable>, row: number): void {
    this.desk.change({
      table: { path, table, joined, reading: false },
      selection: { row: Math.min(row, Math.max(0, (table?.rows.length ?? 1) - 1)) },
      pass: NO_PASS,
    })
  }
}

function unreadable(path: string, why: string): DeskTable {
  const problems = [problem('file-unreadable', { file: path, why })]
  return { name: path, headings: [], named: undefined, rows: [], misread: new Map(), problems, cut: false, documents: NO_DOCUMENTS }
}
