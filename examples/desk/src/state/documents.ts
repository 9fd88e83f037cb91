import type { Subject } from '../model/subject.js'
import type { Desk } from './desk.js'
import type { PageState } from './page-state.js'
import { ServiceFault } from './service.js'

/** Documents of a table that are read for its rows; beyond these only those of the chosen record are. */
const MOST_DOCUMENTS = 300
/** Documents of a request, and what the page keeps of a table. */
const AT_ONCE = 20
const MOST_BYTES = 64 * 1024 * 1024

/** A table that was dropped on the page has no folder: its documents are below the library's. */
const DROPPED = '-'

/** Fetches the documents that the cells of the table name: those of the chosen record first, then those of its first rows. */
export class DocumentLoader {
  private busy = false

  constructor(private readonly desk: Desk) {
    desk.store.subscribe((now, before) => {
      const isOther = now.shown.subject !== before.shown.subject || now.selection.row !== before.selection.row
      if (isOther) void this.load()
    })
  }

  private async load(): Promise<void> {
    if (this.busy) return
    this.busy = true
    try {
      for (let paths = this.next(); paths.length > 0; paths = this.next()) {
        const { path, table } = this.desk.state.table
        if (!table) return
        const read = await this.desk.service.documents(path ?? DROPPED, paths)
        const { table: now } = this.desk.state.table
        if (!now || now.rows !== table.rows) continue
        this.desk.change({ table: { table: { ...now, documents: new Map([...now.documents, ...read]) } } })
      }
    } catch (fault) {
      if (!(fault instanceof ServiceFault)) throw fault
      this.desk.change({ note: { message: fault.message, bad: true } })
    } finally {
      this.busy = false
    }
  }

  /** The documents to be read next. */
  private next(): readonly string[] {
    const { shown, selection, table } = this.desk.state
    if (!shown.subject || table.reading) return []
    const chosen = shown.subject.lacking(selection.row)
    return chosen.length > 0 ? [...new Set(chosen)] : ofRows(shown.subject, table)
  }
}

function ofRows(subject: Subject, { table }: PageState['table']): readonly string[] {
  if (!table) return []
  const { documents, rows } = table
  const paths = new Set<string>()
  let bytes = 0
  for (const document of documents.values()) bytes += typeof document === 'string' ? 0 : (document.bytes?.length ?? 0)
  const room = bytes > MOST_BYTES ? 0 : Math.min(AT_ONCE, MOST_DOCUMENTS - documents.size)
  for (let row = 0; row < rows.length && row < MOST_DOCUMENTS && paths.size < room; row++)
    for (const path of subject.lacking(row)) paths.add(path)
  return [...paths].slice(0, Math.max(0, room))
}
