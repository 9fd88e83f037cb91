import type { Placeholders } from '../personal/placeholders.js'
import { defined } from '../../invariant.js'
import type { Locale } from '../locale.js'
import type { ValueType } from '../types.js'

/**
 * What a format wrote, part by part: characters that it added, then characters of the value, in turns. Joined, the parts are the text; kept apart,
 * readers of origins see which characters came from the record and which from the format.
 */
export type Woven = readonly string[]

/** A parameter of a format: a text in quotes or a whole number. */
export interface Parameter {
  readonly name: string
  readonly kind: 'text' | 'integer'
  readonly optional?: boolean
  /** May be repeated: `table "a" "b"`. */
  readonly many?: boolean
  readonly least?: number
  readonly most?: number
  /** Returns what is wrong with an argument, or undefined. */
  readonly refuses?: (argument: string | number) => boolean
}

/** An argument of a format in a slot. */
export type Argument = string | number

/** What a format may ask of the rendering it runs in. */
export interface Setting {
  readonly locale: Locale
  readonly masks: Placeholders
}

/** A pure function of value, arguments and locale. */
export interface Format {
  readonly name: string
  /** One line for the reference and for completion. */
  readonly about: string
  readonly takes: string
  readonly parameters: readonly Parameter[]
  /** Runs over a list's items one by one. */
  readonly maps?: boolean
  /** The type of what it gives for a value of this type; undefined: it cannot take it. */
  gives(type: ValueType, args: readonly Argument[]): ValueType | undefined
  write(value: unknown, args: readonly Argument[], setting: Setting, type: ValueType): unknown
}

/** The result of a format that ends in text. Its parts are computed only if origins are needed. */
export class Weave {
  constructor(
    readonly text: string,
    readonly parts: () => Woven,
  ) {}
}

/** What a format gave, with a woven text as one. */
export function whole(result: unknown): unknown {
  return result instanceof Weave ? result.text : result
}

/** Items with characters between them that the format makes. */
export function between(items: readonly string[], separator: (index: number) => string): Weave {
  let text = items[0] ?? ''
  for (let i = 1; i < items.length; i++) text += separator(i - 1) + defined(items[i])
  return new Weave(text, () => {
    const parts: string[] = []
    for (let i = 0; i < items.length; i++) parts.push(i === 0 ? '' : separator(i - 1), defined(items[i]))
    return parts
  })
}

/** Made characters around a value. */
export function around(before: string, text: string, after: string): Weave {
  return new Weave(before + text + after, () => [before, text, after])
}
