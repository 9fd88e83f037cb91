import type { Library, Problem, Prompt, Rendering } from 'dunelight'
import { countedByLines, problem, defined } from 'dunelight/host'
import { Pass, type FaultOfWorker, type FromWorker, type ToWorker } from './pass.js'
import { Kept } from './kept.js'
import { ServiceFault, type LibraryData, type Service } from './service.js'
import { EMPTY, sheetOf, turnsText } from './sheet.js'
import { Opener, Subject, type Wanted } from './subject.js'
import { readBenchTable, type BenchTable } from './table.js'

/** A place in a file of the library, in UTF-16 units. */
export interface FilePlace {
  readonly file: string
  readonly start: number
  readonly end: number
}

/** Somebody else wrote a file that is edited here. */
export interface Conflict {
  readonly path: string
  readonly theirs: string | null
  readonly mark: string | null
}

export type View = 'sheet' | 'beside' | 'hand' | 'reply'

/** Milliseconds after the last key until the whole table is looked at again. */
const PAUSE = 150
/** Larger tables are not read to see whether they fit. */
const LARGE = 4 * 1024 * 1024
/** Milliseconds that the first sheet has for itself. */
const SETTLED = 120

/**
 * All that the page knows: the library's files with what is edited of them, the table, the record that is looked at. A key in the editor goes
 * through here to the sheet at once; the whole table follows in a worker. Views hear of every change.
 */
export class Bench {
  data!: LibraryData
  files: Readonly<Record<string, string>> = {}
  library!: Library
  wanted: Wanted = { prompt: '', batch: undefined }
  tablePath: string | undefined
  table: BenchTable | undefined
  reading = false
  row = 0
  sheet = EMPTY
  /** The last sheet of the same record that could be rendered, while the text is between two states. */
  before: Rendering | undefined
  private good: { readonly of: string; readonly rendering: Rendering } | undefined
  pass: Pass | undefined
  view: View = 'sheet'
  /** The file in the editor; undefined while the source is closed. */
  file: string | undefined
  /** Where the editor is to go, and what it shows of what is pointed at. */
  goal: FilePlace | undefined
  pointed: FilePlace | undefined
  /** Where the editor's cursor stands. */
  cursor: { readonly file: string; readonly offset: number } | undefined
  hand: Readonly<Record<string, unknown>> | undefined
  conflict: Conflict | undefined
  note: { readonly says: string; readonly bad: boolean } | undefined
  /** The most tokens that a record should have. */
  budget: number | undefined
  exact = false
  /** Milliseconds that the last key took until its sheet was made. */
  lastKey = 0
  private subject: Subject | undefined
  private savedSubject: Subject | undefined
  private joined: ReadonlyMap<string, BenchTable> = new Map()
  private readonly opener = new Opener()
  private worker: Worker | undefined
  private readonly hearers = new Set<() => void>()
  private timer: ReturnType<typeof setTimeout> | undefined
  private looks = 0
  private choosing = 0
  /** Whether the worker has the table that is looked at. */
  private handed = false
  /** Milliseconds from the page's beginning until its first sheet stood. */
  firstSheet: number | undefined
  private kept!: Kept
  /** The files of the disk as they were last seen: what changes after that is said once. */
  private seen: LibraryData['marks'] = {}
  version = 0

  constructor(private readonly service: Service) {}

  /** The worker that looks at the whole table; made once the first sheet stands. */
  private looker(): Worker {
    if (!this.worker) {
      this.worker = new Worker(new URL('./pass.worker.ts', import.meta.url), { type: 'module' })
      this.worker.addEventListener('message', ({ data }: MessageEvent<FromWorker | FaultOfWorker>) => {
        if (data.id !== this.pass?.id) return
        if ('fault' in data) this.note = { says: `the table could not be looked at: ${data.fault}`, bad: true }
        else this.pass.take(data)
        this.tell()
      })
    }
    return this.worker
  }

  readonly subscribe = (hear: () => void): (() => void) => {
    this.hearers.add(hear)
    return () => this.hearers.delete(hear)
  }

  readonly snapshot = (): number => this.version

  private tell(): void {
    this.version++
    for (const hear of this.hearers) hear()
  }

  set(change: Partial<Pick<Bench, 'view' | 'goal' | 'pointed' | 'cursor' | 'file' | 'note' | 'conflict'>>): void {
    Object.assign(this, change)
    this.tell()
  }

  /** Reads the library, what was edited of it before, and shows the first prompt. */
  async begin(): Promise<void> {
    this.data = await this.service.library()
    this.seen = this.data.marks
    this.kept = new Kept(this.data.root)
    this.files = { ...this.data.files, ...this.kept.edits }
    this.library = this.opener.open(this.files, this.data)
    const { prompt, batch, table, row, budget } = this.kept.place
    this.budget = budget
    const names = this.promptNames
    const first = names.includes(prompt ?? '') ? defined(prompt) : (names.find((name) => this.batchesOf(name).length > 0) ?? names[0])
    if (first !== undefined) await this.choosePrompt(first, { batch, table, row })
    this.tell()
  }

  /** The first sheet stands: what it did not need comes now. */
  drawn(): void {
    if (this.firstSheet !== undefined) return
    this.firstSheet = performance.now()
    setTimeout(() => {
      this.look()
      void this.countExactly()
    }, SETTLED)
  }

  /** The tables of the encoding are larger than all the rest of the page: they come after the first sheet. */
  private async countExactly(): Promise<void> {
    const { countTokens } = await import('gpt-tokenizer/encoding/o200k_base')
    this.opener.countTokens = countedByLines((text) => countTokens(text, { disallowedSpecial: new Set() }))
    this.exact = true
    this.refresh()
  }

  count(text: string): number {
    return this.opener.countTokens(text)
  }

  get promptNames(): readonly string[] {
    return [...this.library.shelf.prompts.keys()].sort()
  }

  /** The batches that run a prompt. */
  batchesOf(prompt: string): readonly string[] {
    return [...this.library.shelf.batches.values()].filter((one) => one.prompt?.name === prompt && one.records).map(({ name }) => name)
  }

  get prompt(): Prompt | undefined {
    return this.subject?.prompt
  }

  /** Files that are not as they are on the disk. */
  get edited(): readonly string[] {
    return Object.keys(this.files).filter((path) => this.files[path] !== this.data.files[path])
  }

  async choosePrompt(
    name: string,
    at: { batch?: string | undefined; table?: string | undefined; row?: number | undefined } = {},
  ): Promise<void> {
    const batches = this.batchesOf(name)
    const batch = at.batch !== undefined && batches.includes(at.batch) ? at.batch : at.table === undefined ? batches[0] : undefined
    this.wanted = { prompt: name, batch }
    this.hand = undefined
    if (this.file !== undefined) this.file = this.fileOf(name)
    const turn = ++this.choosing
    const path =
      batch === undefined ? (at.table ?? (await this.fittingTable())) : defined(defined(this.library.shelf.batches.get(batch)).records).path
    if (turn !== this.choosing) return
    // Where no table fits, values by hand are what is left.
    if (path === undefined && this.view === 'sheet' && this.data.data.length > 0) {
      if ((this.wantedPrompt()?.variables.length ?? 0) > 0) this.view = 'hand'
    }
    await this.openTable(path, at.row ?? 0)
  }

  /** The prompt that is to be looked at, before its table has been read; undefined where it has errors. */
  private wantedPrompt(): Prompt | undefined {
    return new Subject(this.library, this.wanted, undefined, new Map()).prompt
  }

  /** The table that is looked at, if it fits the prompt; else the first of the library that does. */
  private async fittingTable(): Promise<string | undefined> {
    const paths = this.data.data.filter(({ bytes }) => bytes < LARGE).map(({ path }) => path)
    const first = this.tablePath === undefined ? [] : [this.tablePath]
    for (const path of new Set([...first, ...paths])) {
      try {
        if (new Subject(this.library, this.wanted, await this.read(path, {}), new Map()).problems.length === 0) return path
      } catch (fault) {
        if (!(fault instanceof ServiceFault)) throw fault
      }
    }
    return undefined
  }

  /** Takes another table of the library, or the records of a batch. */
  async chooseSource(source: { readonly batch: string } | { readonly table: string }): Promise<void> {
    if ('batch' in source) {
      this.wanted = { ...this.wanted, batch: source.batch }
      await this.openTable(defined(defined(this.library.shelf.batches.get(source.batch)).records).path, 0)
    } else {
      this.wanted = { ...this.wanted, batch: undefined }
      await this.openTable(source.table, 0)
    }
  }

  /** A file that somebody dropped on the grid. */
  async drop(file: File): Promise<void> {
    this.wanted = { ...this.wanted, batch: undefined }
    this.tablePath = undefined
    const turn = ++this.choosing
    const table = await readBenchTable(file.stream(), file.name)
    if (turn === this.choosing) this.take(table, new Map(), 0)
  }

  private async openTable(path: string | undefined, row: number): Promise<void> {
    this.tablePath = path
    const turn = ++this.choosing
    if (path === undefined) {
      this.take(undefined, new Map(), 0)
      return
    }
    this.reading = true
    this.tell()
    try {
      const { batch, prompt } = this.wanted
      const model = batch === undefined ? undefined : this.library.shelf.batches.get(batch)
      // Only documents have to be fetched: the server opens the library for them.
      const documents = (this.wantedPrompt()?.variables ?? []).filter(
        ({ name, type }) => type.kind === 'file' && model && name in model.set,
      )
      const given = batch !== undefined && documents.length > 0 ? await this.service.given(batch) : undefined
      const joined = new Map<string, BenchTable>()
      for (const one of model?.join ?? []) joined.set(one.path, await this.read(one.path, one))
      const table = await this.read(path, model?.records ?? {})
      // Somebody has chosen something else meanwhile.
      if (turn !== this.choosing) return
      this.wanted = { prompt, batch, ...(given && { given }) }
      this.take(table, joined, row)
    } catch (fault) {
      if (!(fault instanceof ServiceFault)) throw fault
      if (turn !== this.choosing) return
      this.take(
        {
          name: path,
          headings: [],
          rows: [],
          misread: new Map(),
          problems: [problem('file-unreadable', { file: path, why: fault.message })],
          cut: false,
        },
        new Map(),
        0,
      )
    }
  }

  private async read(
    path: string,
    { sheet, query }: { readonly sheet?: string | undefined; readonly query?: string | undefined },
  ): Promise<BenchTable> {
    const { stream, format } = await this.service.table(path, {
      ...(sheet !== undefined && { sheet }),
      ...(query !== undefined && { query }),
    })
    return readBenchTable(stream, path, format)
  }

  private take(table: BenchTable | undefined, joined: ReadonlyMap<string, BenchTable>, row: number): void {
    this.reading = false
    this.table = table
    this.joined = joined
    this.row = Math.min(row, Math.max(0, (table?.rows.length ?? 1) - 1))
    this.pass = undefined
    this.handed = false
    this.refresh()
  }

  chooseRow(row: number): void {
    this.row = row
    this.hand = undefined
    this.render()
    this.keepPlace()
    this.tell()
  }

  setBudget(budget: number | undefined): void {
    this.budget = budget
    this.keepPlace()
    this.tell()
  }

  /** Values by hand, over those of the record. */
  writeByHand(values: Readonly<Record<string, unknown>> | undefined): void {
    this.hand = values
    this.render()
    this.tell()
  }

  /** Another text for a file: the sheet follows at once, the whole table when nobody has typed for a moment. */
  edit(path: string, text: string): void {
    if (this.files[path] === text) return
    const started = performance.now()
    this.files = { ...this.files, [path]: text }
    this.library = this.opener.open(this.files, this.data)
    this.makeSubject()
    this.render()
    this.lastKey = performance.now() - started
    this.kept.keep(path, text, this.data.files[path], this.data.marks[path] ?? null)
    clearTimeout(this.timer)
    this.timer = setTimeout(() => this.look(), PAUSE)
    this.tell()
  }

  /** A new file, with what a first file of its kind holds. */
  create(path: string, text: string): void {
    this.edit(path, text)
    const name = path.replace(/^prompts\/|\.yaml$/g, '')
    if (this.library.shelf.prompts.has(name)) void this.choosePrompt(name)
    this.set({ file: path })
  }

  async saveAll(): Promise<void> {
    for (const path of this.edited) {
      await this.save(path, this.markOf(path))
      if (this.conflict) return
    }
  }

  /** The mark of the text that a file's edits began with. */
  private markOf(path: string): string | null {
    const kept = this.kept.markOf(path)
    return kept === undefined ? (this.data.marks[path] ?? null) : kept
  }

  /** Saves a file, unless somebody else has written it meanwhile: then both texts are shown. */
  async save(path: string, was: string | null): Promise<void> {
    const text = defined(this.files[path])
    try {
      const saved = await this.service.save(path, text, was)
      if (saved.state === 'changed') {
        this.set({ conflict: { path, theirs: saved.text, mark: saved.mark } })
        return
      }
      this.data = { ...this.data, files: { ...this.data.files, [path]: text }, marks: { ...this.data.marks, [path]: saved.mark } }
      this.seen = { ...this.seen, [path]: saved.mark }
      this.kept.drop(path)
      this.savedSubject = undefined
      this.conflict = undefined
      this.note = { says: `saved ${path}`, bad: false }
      this.look()
    } catch (fault) {
      if (!(fault instanceof ServiceFault)) throw fault
      this.note = { says: `${path} was not saved: ${fault.message} Your edits are kept in this browser.`, bad: true }
    }
    this.tell()
  }

  /** Takes a file as it is on the disk. */
  takeTheirs(path: string, text: string | null, mark: string | null): void {
    const { [path]: _, ...files } = this.data.files
    const { [path]: __, ...marks } = this.data.marks
    this.data = {
      ...this.data,
      files: text === null ? files : { ...files, [path]: text },
      marks: mark === null ? marks : { ...marks, [path]: mark },
    }
    const { [path]: ___, ...rest } = this.files
    this.files = text === null ? rest : { ...rest, [path]: text }
    this.kept.drop(path)
    this.conflict = undefined
    this.savedSubject = undefined
    this.refresh()
  }

  /** Takes back what was edited of a file. */
  revert(path: string): void {
    this.takeTheirs(path, this.data.files[path] ?? null, this.data.marks[path] ?? null)
  }

  /** Looks whether somebody else has written the library's files; what is not edited here follows. */
  async lookAgain(): Promise<void> {
    const marks = await this.service.marks().catch(() => undefined)
    if (!marks) return
    const others = [...new Set([...Object.keys(marks), ...Object.keys(this.seen)])].filter((path) => marks[path] !== this.seen[path])
    if (others.length === 0) return
    const edited = this.edited
    const data = await this.service.library()
    this.seen = data.marks
    const kept = Object.fromEntries(edited.map((path) => [path, defined(this.files[path])]))
    // Of a file that is edited here the mark stays the one that it was edited from: saving it finds out.
    const own = Object.fromEntries(
      edited.map((path) => [path, this.data.marks[path]]).filter((one): one is [string, string] => one[1] !== undefined),
    )
    const before = Object.fromEntries(
      edited.map((path) => [path, this.data.files[path]]).filter((one): one is [string, string] => one[1] !== undefined),
    )
    this.data = { ...data, files: { ...data.files, ...before }, marks: { ...data.marks, ...own } }
    this.files = { ...data.files, ...kept }
    this.savedSubject = undefined
    this.note = { says: `changed on the disk: ${others.join(', ')}`, bad: false }
    this.refresh()
  }

  /** Where a prompt stands. */
  fileOf(name: string): string | undefined {
    return this.library.shelf.prompts.get(name)?.file.name ?? Object.keys(this.files).find((path) => path.startsWith('prompts/'))
  }

  /** Opens the source of a stretch. */
  jump(place: FilePlace): void {
    this.set({ file: place.file, goal: place })
  }

  /** Whether a row is rendered otherwise than by the saved files, or fails, asked now. */
  stateNow(row: number): { fits: boolean; changed: boolean } {
    const one = turnsText(this.subject, row)
    if (this.edited.length === 0) return { fits: one !== undefined, changed: false }
    return { fits: one !== undefined, changed: one !== turnsText(this.saved(), row) }
  }

  /** The same prompt and records by other texts. */
  subjectOf(files: Readonly<Record<string, string>>, wanted: Wanted = this.wanted): Subject {
    return new Subject(this.opener.open(files, this.data), wanted, this.table, this.joined)
  }

  get current(): Subject | undefined {
    return this.subject
  }

  saved(): Subject {
    return (this.savedSubject ??= this.subjectOf(this.data.files))
  }

  private refresh(): void {
    this.library = this.opener.open(this.files, this.data)
    this.savedSubject = undefined
    this.makeSubject()
    this.render()
    this.keepPlace()
    this.look()
    this.tell()
  }

  private makeSubject(): void {
    this.subject = this.wanted.prompt === '' ? undefined : new Subject(this.library, this.wanted, this.table, this.joined)
  }

  private render(): void {
    this.sheet = this.subject ? sheetOf(this.subject, this.row, this.hand, this.table !== undefined && this.table.rows.length > 0) : EMPTY
    const of = `${this.wanted.prompt} ${this.tablePath ?? ''} ${this.hand ? 'by hand' : this.row}`
    if (this.sheet.rendering) this.good = { of, rendering: this.sheet.rendering }
    this.before = !this.sheet.rendering && this.edited.length > 0 && this.good?.of === of ? this.good.rendering : undefined
  }

  /** Has the whole table looked at. */
  private look(): void {
    if (!this.table || this.wanted.prompt === '' || this.firstSheet === undefined) return
    const worker = this.looker()
    if (!this.handed) {
      const joined = new Map([...this.joined].map(([path, one]) => [path, defined(plain(one))]))
      worker.postMessage({ kind: 'table', table: plain(this.table), joined } satisfies ToWorker)
      this.handed = true
    }
    this.pass = new Pass(++this.looks, this.table.rows.length, this.pass)
    const { attachments, tables } = this.data
    worker.postMessage({
      kind: 'look',
      id: this.pass.id,
      saved: this.data.files,
      files: this.files,
      beside: { attachments, tables },
      wanted: this.wanted,
    } satisfies ToWorker)
  }

  private keepPlace(): void {
    this.kept.at({ prompt: this.wanted.prompt, batch: this.wanted.batch, table: this.tablePath, row: this.row, budget: this.budget })
  }
}

/** Problems hold sources and hints that cannot be handed to a worker: what they are does not matter there. */
function plain(table: BenchTable | undefined): BenchTable | undefined {
  return table && { ...table, problems: [], misread: new Map([...table.misread.keys()].map((at) => [at, {} as Problem])) }
}
