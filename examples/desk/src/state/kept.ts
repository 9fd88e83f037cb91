import { defined } from 'dunelight/host'
/** The place of the last visit, so that a reload returns to it. */
export interface KeptPlace {
  readonly prompt?: string | undefined
  readonly batch?: string | undefined
  readonly table?: string | undefined
  readonly row?: number | undefined
  /** The most tokens that a record should have. */
  readonly budget?: number | undefined
}

interface KeptEdit {
  readonly text: string
  /** The mark of the text that was edited. */
  readonly mark: string | null
}

/** Edits that are not saved, and the place, in this browser: nothing is lost over a reload. */
export class Kept {
  constructor(private readonly root: string) {}

  get place(): KeptPlace {
    return (read(this.name('place')) as KeptPlace | undefined) ?? {}
  }

  at(place: KeptPlace): void {
    write(this.name('place'), place)
  }

  /** Edited texts; whether their files have been written by someone else since is found out when they are saved. */
  get edits(): Record<string, string> {
    return Object.fromEntries(Object.entries(this.all).map(([path, edit]) => [path, defined(edit).text]))
  }

  private get all(): Record<string, KeptEdit | undefined> {
    return (read(this.name('edits')) as Record<string, KeptEdit> | undefined) ?? {}
  }

  /** The mark of the text that an edit was made from. */
  markOf(path: string): string | null | undefined {
    return this.all[path]?.mark
  }

  keep(path: string, text: string, saved: string | undefined, mark: string | null): void {
    const { [path]: before, ...rest } = this.all
    write(this.name('edits'), text === saved ? rest : { ...rest, [path]: { text, mark: before?.mark ?? mark } })
  }

  drop(path: string): void {
    const { [path]: _, ...rest } = this.all
    write(this.name('edits'), rest)
  }

  private name(what: string): string {
    return `desk ${what} ${this.root}`
  }
}

function read(name: string): unknown {
  try {
    const text = localStorage.getItem(name)
    return text === null ? undefined : (JSON.parse(text) as unknown)
  } catch {
    return undefined
  }
}

/** A browser that keeps nothing is no reason to stop. */
function write(name: string, value: unknown): void {
  try {
    localStorage.setItem(name, JSON.stringify(value))
  } catch {
    // Full, or forbidden.
  }
}
