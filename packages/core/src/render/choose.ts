import { DEFAULT_PERSONAL, detectors } from '../values/personal/detector.js'
import { defined } from '../invariant.js'
import { Run, type Choose } from './run.js'
import { DEFAULT_LIMITS } from '../artefacts/artefacts.js'
import { ownLocale, type Locale } from '../values/locale.js'

/** The wording by hash of seed, record id and place: FNV-1a over UTF-16, the same on every machine. */
export function chooseBy(seed: number, record: string): Choose {
  return (place, count) => {
    let hash = 0x811c9dc5
    for (const character of `${seed}\n${record}\n${place}`) {
      hash ^= defined(character.codePointAt(0))
      hash = Math.imul(hash, 0x01000193)
    }
    // The last step spreads neighbouring seeds: FNV's low bits alone move little.
    hash ^= hash >>> 15
    hash = Math.imul(hash, 0x2c1b3c6d)
    hash ^= hash >>> 12
    return (hash >>> 0) % count
  }
}

/** A number for a name, by hash of seed and record id: what decides where cases are drawn at random. */
export function seededRandom(seed: number, record: string, name: string): number {
  return chooseBy(seed, record)(`lot ${name}`, 0x40000000)
}

/** A run of no rendering: for conditions and values outside of prompts. */
export function emptyRun(values: readonly unknown[] = [], locale: Locale = ownLocale): Run {
  return new Run(
    values,
    locale,
    DEFAULT_LIMITS,
    false,
    false,
    () => 0,
    () => 0,
    detectors(DEFAULT_PERSONAL),
  )
}

/** Goes through all wordings: each place gets each of its wordings once in every combination of the others. */
export class Wordings {
  private readonly places = new Map<string, { count: number; at: number }>()

  readonly choose: Choose = (place, count) => {
    let known = this.places.get(place)
    if (!known) this.places.set(place, (known = { count, at: 0 }))
    return Math.min(known.at, count - 1)
  }

  /** Moves on to the next combination; false after the last. */
  next(): boolean {
    for (const place of [...this.places.values()].reverse()) {
      if (++place.at < place.count) return true
      place.at = 0
    }
    return false
  }

  /** The combination under way, a number from 1 for each place. */
  get label(): string {
    return [...this.places.values()].map((place) => place.at + 1).join('.')
  }
}
