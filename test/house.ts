import { cpSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { inflateRawSync } from 'node:zlib'
import { afterEach, beforeEach } from '@jest/globals'

/** A folder of each test's own, with a copy of the demo library in it that no other test runs, asks or changes. */
export interface House {
  readonly pathOf: (name: string) => string
  /** The library's folder, and a table of its objects. */
  readonly house: string
  readonly objects: string
}

/** Makes a house before each test of the file, and removes it after. */
export function useHouse(): House {
  let folder = ''
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'dunelight-test-'))
    cpSync('demo/marram-house', join(folder, 'house'), { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  })
  afterEach(() => rmSync(folder, { recursive: true, force: true }))
  return {
    pathOf: (name) => join(folder, name),
    get house() {
      return join(folder, 'house')
    },
    get objects() {
      return join(folder, 'house/data/objects.csv')
    },
  }
}

export function text(path: string): string {
  return readFileSync(path, 'utf8')
}

/** The lines of a file as JSON. */
export function linesOf(path: string): Record<string, unknown>[] {
  return text(path)
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Record<string, unknown>)
}

/** How often something is repeated: a few times in the tests, in full in `npm run soak`. */
export function times(few: number, full: number): number {
  return process.env['DUNELIGHT_SOAK'] === '1' ? full : few
}

/**
 * Whether one more round is due: a few in the tests, and in the soak as many as its time allows, up to the full count. A slow machine does
 * fewer of them, and fails none for that.
 */
export function goesOn(done: number, few: number, full: number): boolean {
  return done < few || (done < times(few, full) && Date.now() < Number(process.env['DUNELIGHT_SOAK_ENDS'] ?? Infinity))
}

export function pause(milliseconds: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, milliseconds))
}

/** The text of a Word document, a line for each paragraph. */
export function docxText(path: string): string {
  const xml = unzipped(readFileSync(path), 'word/document.xml').toString('utf8')
  return xml
    .replaceAll('</w:p>', '\n')
    .replace(/<[^>]+>/g, '')
    .replaceAll('&apos;', "'")
    .replaceAll('&amp;', '&')
}

/** One file of a ZIP archive, found by its entry in the directory at the archive's end. */
function unzipped(archive: Buffer, name: string): Buffer {
  for (let at = archive.indexOf('PK\u0001\u0002'); at >= 0; at = archive.indexOf('PK\u0001\u0002', at + 4)) {
    const nameLength = archive.readUInt16LE(at + 28)
    if (archive.toString('utf8', at + 46, at + 46 + nameLength) !== name) continue
    const local = archive.readUInt32LE(at + 42)
    const start = local + 30 + archive.readUInt16LE(local + 26) + archive.readUInt16LE(local + 28)
    const content = archive.subarray(start, start + archive.readUInt32LE(at + 20))
    return archive.readUInt16LE(at + 10) === 0 ? content : inflateRawSync(content)
  }
  throw new Error(`the archive has no ${name}`)
}
