import { attachmentTokens } from '../render/attachment-tokens.js'
import { hashBytes } from './fingerprint.js'
import type { PreparedValues } from './prepared-values.js'
import type { Prompt } from './prompt.js'
import type { RenderOptions } from './rendering.js'
import { jsonBytes, utf8Bytes } from '../render/json-bytes.js'
import type { Turn } from '../render/render.js'

/** The record that a line is written for. */
export interface LineRecord {
  readonly id: string
  /** Its number in the table, from 1. */
  readonly row: number
  readonly cells: readonly unknown[]
}

export interface LineOptions {
  readonly seed?: number
  readonly locale?: string
  /** SHA-256 of bytes that are one character each; the platform's own is many times quicker than the core's. */
  readonly hash?: (bytes: string) => string
  /** Counts the tokens of a text, where they are asked for. */
  readonly countTokens?: (text: string) => number
  /** Whether the standard line has the prompt's fingerprint, output and settings; else the record and its turns alone. */
  readonly full?: boolean
}

/** A record's line, and what was found out about it on the way. */
export interface Line {
  /** JSON in UTF-8, one character for each byte, without a line end. */
  readonly bytes: string
  readonly fingerprint: string | undefined
  readonly tokens: number | undefined
  /** The length of the turns, in bytes. */
  readonly length: number
}

export interface LineWriter {
  readonly options: LineOptions
  /** @throws ProblemError where the record cannot be rendered. */
  line(record: LineRecord, prepared: PreparedValues): Line
}

/** How one record of a batch is rendered. */
export function renderOptions({ seed, locale }: LineOptions, record: string): RenderOptions {
  // Written out: a record is made for every line, and a spread one costs as much as a slot.
  if (locale === undefined) return seed === undefined ? { record } : { record, seed }
  return seed === undefined ? { record, locale } : { record, seed, locale }
}

/** `{"record":…,"row":…,"prompt":…,"fingerprint":…,"turns":[…],"output":…,"settings":{…},"tokens":…}` */
export class StandardWriter implements LineWriter {
  private readonly head: string
  private readonly tail: string
  private readonly fixedOutput: boolean

  constructor(
    private readonly prompt: Prompt,
    readonly options: LineOptions,
  ) {
    const { name, outputs, settings } = prompt
    this.head = `,"prompt":"${jsonBytes(name)}"`
    this.fixedOutput = outputs.length < 2
    this.tail = options.full ? `,"settings":${utf8Bytes(JSON.stringify(settings))}` : ''
  }

  line({ id, row }: LineRecord, prepared: PreparedValues): Line {
    const { full = false, hash = hashBytes, countTokens } = this.options
    const options = renderOptions(this.options, id)
    const turns = prepared.bytes(options)
    const fingerprint = full ? hash(turns) : undefined
    const tokens = countTokens && promptTokens(prepared, options, countTokens)
    const print = fingerprint === undefined ? '' : `,"fingerprint":"${fingerprint}"`
    const counted = tokens === undefined ? '' : `,"tokens":${tokens}`
    const output = full ? `,"output":${this.outputOf(prepared, options)}` : ''
    const bytes = `{"record":"${jsonBytes(id)}","row":${row}${this.head}${print},"turns":${turns}${output}${this.tail}${counted}}`
    return { bytes, fingerprint, tokens, length: turns.length }
  }

  private outputOf(prepared: PreparedValues, options: RenderOptions): string {
    const name = this.fixedOutput ? this.prompt.outputs[0] : prepared.form(options)?.shape.name
    return name === undefined ? 'null' : `"${jsonBytes(name)}"`
  }
}

/** The tokens of all turns' texts and of attached texts; those of other attachments are estimated. */
export function promptTokens(prepared: PreparedValues, options: RenderOptions, count: (text: string) => number): number {
  return turnTokens(prepared.turns(options), count)
}

/** The same of turns that are rendered already. */
export function turnTokens(turns: readonly Turn[], count: (text: string) => number): number {
  let tokens = 0
  for (const { text, parts } of turns) {
    tokens += count(text)
    for (const part of parts ?? []) tokens += part.kind === 'text' ? count(part.text) : attachmentTokens(part)
  }
  return tokens
}
