import { defined } from 'dunelight/host'
import { hashName, HashSet64 } from './hash-set.js'

/** One bit for each number, by the first of them. */
type Pages = Map<number, Uint32Array>

/**
 * The names that were used before. Most tables number their rows: of a name that ends in a number a single bit is kept, with the others that begin
 * alike. Where the numbers lie too far apart for that, names are kept by their hashes.
 */
export class Names {
  private readonly others = new HashSet64(false)
  private readonly series = new Map<string, Pages>()
  private last: { readonly stem: string; readonly length: number; readonly pages: Pages } = {
    stem: '',
    length: -1,
    pages: new Map<number, Uint32Array>(),
  }
  private pages = 0
  private numbered = 0
  /** Whether numbers lie so far apart that no page is begun any more: what has none is among the others, for good. */
  private sparse = false

  /** Adds a name; whether it came before. */
  add(name: string): boolean {
    const page = this.pageOf(name)
    if (!page) return this.others.add(...hashName(name), 0) !== undefined
    const bit = numberAt(name, this.last.stem.length) % PAGE
    const before = defined(page[bit >>> 5])
    const after = before | (1 << (bit & 31))
    page[bit >>> 5] = after
    this.numbered++
    return after >>> 0 === before
  }

  private pageOf(name: string): Uint32Array | undefined {
    const { stem, length } = this.last
    if (name.length !== length || !name.startsWith(stem) || !isNumberFrom(name, stem.length)) {
      const digits = digitsOf(name)
      if (digits === 0) return undefined
      this.turnTo(name, name.length - digits)
    }
    const { pages } = this.last
    const position = Math.floor(numberAt(name, this.last.stem.length) / PAGE)
    const known = pages.get(position)
    if (known) return known
    this.sparse ||= this.pages > MOST_PAGES + this.numbered / NAMES_A_PAGE
    if (this.sparse) return undefined
    const page = new Uint32Array(PAGE / 32)
    pages.set(position, page)
    this.pages++
    return page
  }

  /** Names of one series begin alike and are of one length: `7` and `07` are two. */
  private turnTo(name: string, from: number): void {
    // Written out: a piece of a row would keep the part of the table that it is of.
    const stem = ` ${name.slice(0, from)}`.slice(1)
    const key = `${name.length} ${stem}`
    let pages = this.series.get(key)
    if (!pages && !this.sparse) this.series.set(key, (pages = new Map<number, Uint32Array>()))
    this.last = { stem, length: name.length, pages: pages ?? new Map<number, Uint32Array>() }
  }
}

/** Numbers whose bits share a page of one kilobyte. */
const PAGE = 8192
/** Pages that are made even for few names; further pages need enough names to save memory. */
const MOST_PAGES = 1024
const NAMES_A_PAGE = 256
/** Longer numbers are of a series that begins with their first digits. */
const MOST_DIGITS = 9

function isDigit(unit: number): boolean {
  return unit >= 48 && unit <= 57
}

function digitsOf(name: string): number {
  let count = 0
  while (count < MOST_DIGITS && isDigit(name.charCodeAt(name.length - 1 - count))) count++
  return count
}

function isNumberFrom(name: string, from: number): boolean {
  for (let i = from; i < name.length; i++) if (!isDigit(name.charCodeAt(i))) return false
  return true
}

function numberAt(name: string, from: number): number {
  let number = 0
  for (let i = from; i < name.length; i++) number = number * 10 + name.charCodeAt(i) - 48
  return number
}
