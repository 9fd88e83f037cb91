import { defined } from '../invariant.js'
import type { EnvelopeModel, Role, Shape } from '../artefacts/artefacts.js'
import type { EnvelopeName, TurnName } from './batch-checks.js'
import { hashBytes } from './fingerprint.js'
import type { Library } from './library.js'
import type { PreparedValues } from './prepared-values.js'
import type { Prompt } from './prompt.js'
import type { RenderOptions } from './rendering.js'
import { renderOptions, promptTokens, type Line, type LineOptions, type LineRecord, type LineWriter } from './line.js'
import { compileShape, jsonOf, type Piece } from './shape.js'
import { problem, ProblemError } from '../problems/problem.js'
import { jsonBytes } from '../render/json-bytes.js'
import { byteList, type ByteTurn } from '../render/render.js'
import type { Span } from '../source/source.js'
import type { SlotValue, Text } from '../text/nodes.js'
import { soleSlot } from '../text/sole-slot.js'
import { own } from '../values/data.js'
import { ANY, INTEGER, TEXT, type Declared, type ValueType } from '../values/types.js'

/** What a line is written from. */
interface Filling {
  readonly record: LineRecord
  readonly prepared: PreparedValues
  readonly options: RenderOptions
  readonly turns: readonly ByteTurn[]
  readonly fingerprint: string
  readonly tokens: number | undefined
}

/** What a turn's shape is written from. */
interface TurnFilling {
  readonly turn: ByteTurn
  readonly role: string
}

/** Lines in the form that a library's file gives them. */
export class EnvelopeWriter implements LineWriter {
  private readonly whole: Piece<Filling>
  /** What its line places, and whether its turns place what they hand over. */
  private readonly used = new Set<string>()
  private partsPlaced = false
  private readonly turnList: (turns: readonly ByteTurn[]) => string
  private readonly names: Readonly<
    Record<string, { readonly type: ValueType; readonly json: Piece<Filling>; readonly data: (filling: Filling) => unknown }>
  >

  /** @throws ProblemError where its shape places what there is not. */
  constructor(
    private readonly model: EnvelopeModel,
    private readonly library: Library,
    private readonly prompt: Prompt,
    private readonly headings: readonly string[],
    readonly options: LineOptions,
  ) {
    this.turnList = this.compileTurns()
    this.names = this.placed()
    this.whole = this.model.line ? compileShape(this.model.line, (text) => this.compileText(text)) : () => '{}'
  }

  /** A record's line with these turns: those of its rendering, or further ones. */
  of(record: LineRecord, prepared: PreparedValues, turns: readonly ByteTurn[], fingerprint: string): string {
    const options = renderOptions(this.options, record.id)
    this.refuseLost(turns)
    return this.whole({ record, prepared, options, turns, fingerprint, tokens: undefined }) ?? 'null'
  }

  line(record: LineRecord, prepared: PreparedValues): Line {
    const { hash = hashBytes, countTokens } = this.options
    const options = renderOptions(this.options, record.id)
    const turns = prepared.byteTurns(options)
    this.refuseLost(turns)
    const list = byteList(turns)
    const fingerprint = hash(list)
    const tokens = countTokens && promptTokens(prepared, options, countTokens)
    const bytes = this.whole({ record, prepared, options, turns, fingerprint, tokens }) ?? 'null'
    return { bytes, fingerprint, tokens, length: list.length }
  }

  /** What a turn hands over must not be lost on the way: a picture, the text of a document. */
  private refuseLost(turns: readonly ByteTurn[]): void {
    for (const { role, parts } of turns) {
      if (parts === undefined) continue
      const placed = this.used.has('turns') || (role !== 'system' && this.used.has('dialogue'))
      if (!placed || (this.model.turn && !this.partsPlaced)) throw new ProblemError([problem('envelope-loses-parts', { role })])
    }
  }

  private placed(): EnvelopeWriter['names'] {
    const { prompt, headings } = this
    const data = (type: ValueType, find: (filling: Filling) => unknown) => ({
      type,
      data: find,
      json: (filling: Filling) => jsonOf(find(filling)),
    })
    const bytes = (json: Piece<Filling>) => ({
      type: ANY,
      data: (filling: Filling) => JSON.parse(json(filling) ?? 'null') as unknown,
      json,
    })
    const settings = prompt.settings
    const cellsOf = ({ record }: Filling) => Object.fromEntries(headings.map((heading, i) => [heading, record.cells[i] ?? null]))
    const open: ValueType = { kind: 'record' }
    return {
      record: data(open, (filling) => ({ id: filling.record.id, row: filling.record.row, fields: cellsOf(filling) })),
      values: data(open, ({ prepared }) => prepared.values),
      prompt: data(TEXT, () => prompt.name),
      fingerprint: data(TEXT, ({ fingerprint }) => fingerprint),
      tokens: data(INTEGER, ({ tokens }) => tokens),
      settings: data(open, () => settings),
      output: data(TEXT, ({ prepared, options }) => this.formOf(prepared, options)?.shape.name),
      schema: data(open, ({ prepared, options }) => this.formOf(prepared, options)?.schema()),
      'strict-schema': data(open, ({ prepared, options }) => this.formOf(prepared, options)?.schema({ strict: true })),
      turns: bytes(({ turns }) => this.turnList(turns)),
      dialogue: bytes(({ turns }) => this.turnList(turns.filter((turn) => turn.role !== 'system'))),
      system: bytes(({ turns }) => systemText(turns)),
    } satisfies Record<EnvelopeName, unknown>
  }

  /** The form of the answer: the same for every record where nothing of a record decides it. */
  private formOf(prepared: PreparedValues, options: RenderOptions) {
    if (this.prompt.outputs.length === 0) return undefined
    this.fixed ??= { form: this.prompt.outputs.length === 1 ? fixedForm(this.prompt) : undefined }
    return this.fixed.form ?? prepared.form(options)
  }
  private fixed: { readonly form: ReturnType<Prompt['form']> } | undefined

  private compileText(text: Text): Piece<Filling> {
    const sole = soleSlot(text)
    if (sole && sole.formats.length === 0) return this.compileValue(sole)
    const names = Object.keys(this.names)
    const words = this.library.words(
      text,
      names.map((name): Declared => ({ name, type: defined(this.names[name]).type, optional: true, untrusted: false, span: undefined })),
    )
    return (filling) => jsonOf(words(names.map((name) => defined(this.names[name]).data(filling) ?? null)))
  }

  /** A text that is one slot hands its value on as it is: a list stays a list. */
  private compileValue({ paths, fallback }: SlotValue): Piece<Filling> {
    const tries = paths.map((path): Piece<Filling> => {
      this.used.add(path.name)
      const placed = Object.hasOwn(this.names, path.name) ? this.names[path.name] : undefined
      if (!placed) return unknownName(path.name, Object.keys(this.names), path.span)
      if (path.steps.length === 0) return placed.json
      return (filling) => jsonOf(path.steps.reduce<unknown>((item, step) => own(item, step.key), placed.data(filling)))
    })
    const last = fallback && jsonOf(fallback.value)
    return (filling) => {
      for (const piece of tries) {
        const json = piece(filling)
        if (json !== undefined) return json
      }
      return last
    }
  }

  /** Turns in the envelope's own form: who speaks by the names that it gives them. */
  private compileTurns(): (turns: readonly ByteTurn[]) => string {
    const { turn, roles } = this.model
    const renamed = (Object.entries(roles) as [Role, string][]).some(([role, name]) => role !== name)
    if (!turn && !renamed) return byteList
    const write = turn ? turnPiece(turn, () => (this.partsPlaced = true)) : standardTurn
    return (turns) => `[${turns.map((turn) => write({ turn, role: roles[turn.role] })).join(',')}]`
  }
}

function standardTurn({ turn, role }: TurnFilling): string {
  const named = turn.name === undefined ? '' : `"name":"${jsonBytes(turn.name)}",`
  return `{"role":"${jsonBytes(role)}",${named}"text":"${turn.text}"${turn.parts === undefined ? '' : `,"parts":${turn.parts}`}}`
}

type OfTurn = (filling: TurnFilling) => string | undefined

const OF_TURN: Readonly<Record<string, OfTurn>> = {
  role: ({ role }) => `"${jsonBytes(role)}"`,
  text: ({ turn }) => `"${turn.text}"`,
  name: ({ turn }) => (turn.name === undefined ? undefined : `"${jsonBytes(turn.name)}"`),
  parts: ({ turn }) => turn.parts,
} satisfies Record<TurnName, OfTurn>

/** The shape of one turn, in which `{role}`, `{text}`, `{name}` and `{parts}` stand, each alone. */
function turnPiece(shape: Shape, withParts: () => void): (filling: TurnFilling) => string {
  const write = compileShape<TurnFilling>(shape, (text) => {
    const sole = soleSlot(text)
    const json = jsonOf(text.source.text)
    if (!sole) return () => json
    const name = sole.paths[0]?.name ?? ''
    if (name === 'parts') withParts()
    return (Object.hasOwn(OF_TURN, name) ? OF_TURN[name] : undefined) ?? unknownName(name, Object.keys(OF_TURN), sole.span)
  })
  return (filling) => write(filling) ?? 'null'
}

function unknownName(name: string, known: readonly string[], span: Span): never {
  throw new ProblemError([problem('envelope-name-unknown', { name, known }, span)])
}

function systemText(turns: readonly ByteTurn[]): string | undefined {
  const texts = turns.filter((turn) => turn.role === 'system').map((turn) => turn.text)
  return texts.length === 0 ? undefined : `"${texts.join('\\n\\n')}"`
}

function fixedForm(prompt: Prompt) {
  try {
    return prompt.form()
  } catch (fault) {
    // It depends on the record.
    if (fault instanceof TypeError) return undefined
    throw fault
  }
}
