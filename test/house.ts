import { cpSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
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
