import { createStore, type StoreApi } from 'zustand/vanilla'
import { Opener, Subject, type Wanted } from '../model/subject.js'
import { AskActions, NO_ASKING } from './asking.js'
import { Connection } from './connection.js'
import { derive } from './derive.js'
import { DocumentLoader } from './documents.js'
import { EditingActions } from './editing.js'
import { Kept } from './kept.js'
import { LibraryActions } from './library.js'
import { EMPTY } from '../model/sheet.js'
import { NO_EDITING, NO_PASS, NO_SELECTION, NO_TABLE, type Change, type PageState } from './page-state.js'
import { PassRunner } from './pass.js'
import { NO_PRODUCTION, ProductionActions } from './production.js'
import { NO_RUNS, RunActions } from './runs.js'
import { SelectionActions } from './selection.js'
import type { Service } from './service.js'
import { TableActions } from './table.js'

/** Milliseconds that the first sheet has for itself. */
const SETTLED = 120

/**
 * The page without its views: one state, and the actions that change it, a class for each part.
 * A key in the editor changes the files; the sheet follows within the same change, the whole table in a worker.
 * Source: `src/state/`. Views read it with `useDesk`.
 */
export class Desk {
  readonly library: LibraryActions
  readonly table: TableActions
  readonly selection: SelectionActions
  readonly editing: EditingActions
  readonly asking: AskActions
  readonly runs: RunActions
  readonly production: ProductionActions
  readonly opener = new Opener()
  readonly kept: Kept
  readonly store: StoreApi<PageState>
  private readonly pass: PassRunner
  private savedSubject: { readonly of: readonly unknown[]; readonly subject: Subject } | undefined
  /** Milliseconds from the page's beginning until its first sheet stood. */
  firstSheet: number | undefined

  /** Reads the library, takes up what was edited before, and shows the first prompt. */
  static async open(service: Service): Promise<Desk> {
    const desk = new Desk(service, await service.library())
    await desk.selection.begin()
    return desk
  }

  private constructor(
    readonly service: Service,
    data: PageState['library']['data'],
  ) {
    this.kept = new Kept(data.root)
    const files = { ...data.files, ...this.kept.edits }
    this.store = createStore<PageState>(() => ({
      library: { data, files, exact: false, conflict: undefined, committed: undefined },
      table: NO_TABLE,
      selection: { ...NO_SELECTION, budget: this.kept.place.budget },
      editing: NO_EDITING,
      shown: { library: this.opener.open(files, data), subject: undefined, sheet: EMPTY, before: undefined },
      pass: NO_PASS,
      asking: NO_ASKING,
      runs: NO_RUNS,
      production: NO_PRODUCTION,
      isLost: false,
      note: undefined,
    }))
    this.library = new LibraryActions(this)
    this.table = new TableActions(this)
    this.selection = new SelectionActions(this)
    this.editing = new EditingActions(this)
    this.pass = new PassRunner(this)
    new DocumentLoader(this)
    this.asking = new AskActions(this)
    this.runs = new RunActions(this)
    this.production = new ProductionActions(this)
    new Connection(this)
    this.store.subscribe((now, before) => this.keepPlace(now, before))
  }

  get state(): PageState {
    return this.store.getState()
  }

  /** Makes a change with everything derived from it, and notifies the views once. */
  change({ library, table, selection, editing, asking, runs, production, ...rest }: Change): void {
    const before = this.state
    const now = {
      ...before,
      ...(library && { library: { ...before.library, ...library } }),
      ...(table && { table: { ...before.table, ...table } }),
      ...(selection && { selection: { ...before.selection, ...selection } }),
      ...(editing && { editing: { ...before.editing, ...editing } }),
      ...(asking && { asking: { ...before.asking, ...asking } }),
      ...(runs && { runs: { ...before.runs, ...runs } }),
      ...(production && { production: { ...before.production, ...production } }),
      ...rest,
    }
    this.store.setState({ ...now, shown: derive(this.opener, now, before) }, true)
  }

  /** The first sheet is on the screen: what it did not need comes now. */
  drawn(): void {
    if (this.firstSheet !== undefined) return
    this.firstSheet = performance.now()
    setTimeout(() => {
      this.pass.start()
      void this.library.countExactly()
      void this.library.readCommitted()
    }, SETTLED)
  }

  /** The prompt and records of the present selection, by other texts. */
  subjectOf(files: Readonly<Record<string, string>>, wanted: Wanted = this.state.selection.wanted): Subject {
    const { table, library } = this.state
    return new Subject(this.opener.open(files, library.data), wanted, table.table, table.joined)
  }

  /** The present selection by the files on the disk. */
  saved(): Subject {
    const { library, table, selection } = this.state
    const of = [library.data, library.exact, table.table, table.joined, selection.wanted]
    if (this.savedSubject?.of.every((part, i) => part === of[i]) !== true) {
      this.savedSubject = { of, subject: this.subjectOf(library.data.files) }
    }
    return this.savedSubject.subject
  }

  private keepPlace({ selection, table }: PageState, before: PageState): void {
    if (selection === before.selection && table.path === before.table.path) return
    const { wanted, row, budget } = selection
    this.kept.at({ prompt: wanted.prompt, batch: wanted.batch, table: table.path, row, budget })
  }
}
