import type { Library, Rendering } from 'dunelight'
import type { Pass } from '../model/pass.js'
import type { Sheet } from '../model/sheet.js'
import type { Subject, Wanted } from '../model/subject.js'
import type { DeskTable } from '../model/table.js'
import type { AskingState } from './asking.js'
import type { RunsState } from './runs.js'
import type { ProductionState } from './production.js'
import type { Committed, LibraryData } from './service.js'

/** A place in a file of the library, in UTF-16 units. */
export interface FilePlace {
  readonly file: string
  readonly start: number
  readonly end: number
}

/** A file that is edited here and was written on the disk meanwhile. */
export interface Conflict {
  readonly path: string
  readonly theirs: string | null
  readonly mark: string | null
}

export type View = 'sheet' | 'beside' | 'hand' | 'reply' | 'ask' | 'runs' | 'history'

/** The library's files: as they are on the disk, and as they are edited here. */
export interface LibraryState {
  readonly data: LibraryData
  readonly files: Readonly<Record<string, string>>
  /** Whether tokens are counted by the encoding itself; until it is loaded they are estimated. */
  readonly exact: boolean
  readonly conflict: Conflict | undefined
  /** The files of the last commit, where the library is in a Git repository. */
  readonly committed: Committed | undefined
}

export interface TableState {
  /** Undefined for a dropped file, and where there is no table. */
  readonly path: string | undefined
  readonly table: DeskTable | undefined
  readonly joined: ReadonlyMap<string, DeskTable>
  readonly reading: boolean
}

export interface SelectionState {
  readonly wanted: Wanted
  /** Counted from 0. */
  readonly row: number
  readonly view: View
  /** The largest number of tokens that a record should have. */
  readonly budget: number | undefined
}

export interface EditingState {
  /** The file in the editor; undefined while the source is closed. */
  readonly file: string | undefined
  /** Where the editor is to go. */
  readonly goal: FilePlace | undefined
  /** The source of the span under the mouse on the sheet. */
  readonly pointed: FilePlace | undefined
  readonly cursor: { readonly file: string; readonly offset: number } | undefined
  /** What is to be put at the cursor of the editor; as a line of its own, or where the cursor is. */
  readonly insertion: { readonly text: string; readonly isLine: boolean } | undefined
  /** Values typed into the form; undefined while the record's own values count. */
  readonly hand: Readonly<Record<string, unknown>> | undefined
}

/** What follows from the other parts: see derive.ts. */
export interface ShownState {
  readonly library: Library
  readonly subject: Subject | undefined
  readonly sheet: Sheet
  /** The last sheet of the same record that could be rendered, while the edited text has an error. */
  readonly before: Rendering | undefined
}

/** How far the worker has come with the whole table. A pass is filled in place: `rendered` is another number when it has grown. */
export interface PassState {
  readonly pass: Pass | undefined
  readonly rendered: number
}

export interface Note {
  readonly message: string
  readonly bad: boolean
}

/** The state of the page. Every part is replaced when something in it changes, and is the same object otherwise. */
export interface PageState {
  readonly library: LibraryState
  readonly table: TableState
  readonly selection: SelectionState
  readonly editing: EditingState
  readonly shown: ShownState
  readonly pass: PassState
  readonly asking: AskingState
  readonly runs: RunsState
  readonly production: ProductionState
  /** Whether the server does not answer. */
  readonly isLost: boolean
  readonly note: Note | undefined
}

/** A change of some fields of some parts; what is shown follows by itself. */
export interface Change {
  readonly library?: Partial<LibraryState>
  readonly table?: Partial<TableState>
  readonly selection?: Partial<SelectionState>
  readonly editing?: Partial<EditingState>
  readonly pass?: PassState
  readonly asking?: Partial<AskingState>
  readonly runs?: Partial<RunsState>
  readonly production?: Partial<ProductionState>
  readonly isLost?: boolean
  readonly note?: Note | undefined
}

export const NO_TABLE: TableState = { path: undefined, table: undefined, joined: new Map(), reading: false }
export const NO_SELECTION: SelectionState = { wanted: { prompt: '', batch: undefined }, row: 0, view: 'sheet', budget: undefined }
export const NO_EDITING: EditingState = {
  file: undefined,
  goal: undefined,
  pointed: undefined,
  cursor: undefined,
  insertion: undefined,
  hand: undefined,
}
export const NO_PASS: PassState = { pass: undefined, rendered: 0 }

/** Files whose text here differs from the disk. */
export function editedFiles({ data, files }: LibraryState): readonly string[] {
  return Object.keys(files).filter((path) => files[path] !== data.files[path])
}

export function hasRows({ table }: TableState): boolean {
  return table !== undefined && table.rows.length > 0
}
