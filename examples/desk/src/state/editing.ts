import { defined } from 'dunelight/host'
import type { Desk } from './desk.js'
import { editedFiles, type FilePlace, type PageState } from './page-state.js'
import { ServiceFault, type LibraryData } from './service.js'

/** The editor, the form, and the state of edited files. */
export class EditingActions {
  /** The files of the disk as they were last seen: a change after that is reported once. */
  private seen: LibraryData['marks']

  constructor(private readonly desk: Desk) {
    this.seen = desk.state.library.data.marks
  }

  get edited(): readonly string[] {
    return editedFiles(this.desk.state.library)
  }

  open(file: string | undefined): void {
    this.desk.change({ editing: { file } })
  }

  /** Opens the source of a span. */
  jump(place: FilePlace): void {
    this.desk.change({ editing: { file: place.file, goal: place } })
  }

  point(pointed: FilePlace | undefined): void {
    this.desk.change({ editing: { pointed } })
  }

  /** The editor has gone where it was to go, or its cursor was moved. */
  moved(cursor: { readonly file: string; readonly offset: number } | undefined): void {
    this.desk.change({ editing: { cursor, goal: undefined } })
  }

  /** Puts a text at the cursor of the source, which is opened for it. */
  insert(insertion: NonNullable<PageState['editing']['insertion']>): void {
    const { file } = this.desk.state.editing
    this.desk.change({ editing: { insertion, file: file ?? this.desk.library.fileOf(this.desk.state.selection.wanted.prompt) } })
  }

  /** The editor has put it. */
  inserted(): void {
    this.desk.change({ editing: { insertion: undefined } })
  }

  /** Values typed into the form, in place of the record's own. */
  fillIn(hand: Readonly<Record<string, unknown>> | undefined): void {
    this.desk.change({ editing: { hand } })
  }

  write(path: string, text: string): void {
    const { files, data } = this.desk.state.library
    if (files[path] === text) return
    this.desk.change({ library: { files: { ...files, [path]: text } } })
    this.desk.kept.keep(path, text, data.files[path], data.marks[path] ?? null)
  }

  /** A new file with its first text; a new prompt is selected at once. */
  create(path: string, text: string): void {
    this.write(path, text)
    const name = path.replace(/^prompts\/|\.yaml$/g, '')
    if (this.desk.state.shown.library.artefacts.prompts.has(name)) void this.desk.selection.choosePrompt(name)
    this.open(path)
  }

  async saveAll(): Promise<void> {
    for (const path of this.edited) {
      const mark = this.desk.kept.markOf(path)
      await this.save(path, mark === undefined ? (this.desk.state.library.data.marks[path] ?? null) : mark)
      if (this.desk.state.library.conflict) return
    }
  }

  /** Saves a file; if it was written on the disk since `mark`, both texts are shown instead. */
  async save(path: string, mark: string | null): Promise<void> {
    const text = defined(this.desk.state.library.files[path])
    try {
      const saved = await this.desk.service.save(path, text, mark)
      if (saved.state === 'changed') {
        this.desk.change({ library: { conflict: { path, theirs: saved.text, mark: saved.mark } } })
        return
      }
      this.seen = { ...this.seen, [path]: saved.mark }
      this.desk.kept.drop(path)
      const { data } = this.desk.state.library
      this.desk.change({
        library: { data: withFile(data, path, text, saved.mark), conflict: undefined },
        note: { message: `saved ${path}`, bad: false },
      })
    } catch (fault) {
      if (!(fault instanceof ServiceFault)) throw fault
      this.desk.change({ note: { message: `${path} was not saved: ${fault.message} Your edits are kept in this browser.`, bad: true } })
    }
  }

  decideLater(): void {
    this.desk.change({ library: { conflict: undefined } })
  }

  /** Takes a file as it is on the disk. */
  takeTheirs(path: string, text: string | null, mark: string | null): void {
    const { data, files } = this.desk.state.library
    const { [path]: _, ...rest } = files
    this.desk.kept.drop(path)
    this.desk.change({
      library: {
        data: withFile(data, path, text, mark),
        files: text === null ? rest : { ...rest, [path]: text },
        conflict: undefined,
      },
    })
  }

  /** Drops the edits of a file. */
  revert(path: string): void {
    const { data } = this.desk.state.library
    this.takeTheirs(path, data.files[path] ?? null, data.marks[path] ?? null)
  }

  /** Takes up what was written on the disk since; files that are edited here keep their edits. */
  async lookAgain(): Promise<void> {
    const marks = await this.desk.service.marks().catch(() => undefined)
    if (!marks) return
    const others = [...new Set([...Object.keys(marks), ...Object.keys(this.seen)])].filter((path) => marks[path] !== this.seen[path])
    if (others.length === 0) return
    const data = await this.desk.service.library()
    this.seen = data.marks
    const { edited } = this
    const before = this.desk.state.library
    this.desk.change({
      library: {
        // Of a file that is edited here, text and mark stay those that the edits began with: saving finds the conflict.
        data: {
          ...data,
          files: { ...data.files, ...only(before.data.files, edited) },
          marks: { ...data.marks, ...only(before.data.marks, edited) },
        },
        files: { ...data.files, ...only(before.files, edited) },
      },
      note: { message: `changed on the disk: ${others.join(', ')}`, bad: false },
    })
  }
}

/** A file with another text and mark; without it where there is none. */
function withFile(data: LibraryData, path: string, text: string | null, mark: string | null): LibraryData {
  const { [path]: _, ...files } = data.files
  const { [path]: __, ...marks } = data.marks
  return {
    ...data,
    files: text === null ? files : { ...files, [path]: text },
    marks: mark === null ? marks : { ...marks, [path]: mark },
  }
}

function only<T>(all: Readonly<Record<string, T>>, names: readonly string[]): Record<string, T> {
  return Object.fromEntries(names.flatMap((name) => (name in all ? [[name, all[name] as T]] : [])))
}
