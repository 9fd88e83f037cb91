import type { Assembly, PartQuestion } from './assembly.js'
import { hashBytes } from './fingerprint.js'
import { renderOptions, turnTokens, type Line, type LineOptions, type LineRecord, type LineWriter } from './line.js'
import type { OriginText } from './markdown.js'
import type { PreparedValues } from './prepared-values.js'
import type { AnyValues } from './prompt.js'
import type { Rendering, RenderOptions } from './rendering.js'
import { answerOf } from '../outputs/answer-type.js'
import { ProblemError, type Problem } from '../problems/problem.js'
import { jsonBytes } from '../render/json-bytes.js'
import { byteList, bytesOf } from '../render/render.js'

/** A question of an assembly as it would be sent, with samples in the place of answers that are not there. */
export interface PreviewedPart {
  readonly question: PartQuestion
  /** Undefined where the values do not match the prompt. */
  readonly rendering: Rendering | undefined
  readonly problems: readonly Problem[]
  /** How many requests it takes: one for each candidate. */
  readonly requests: number
}

/** What an assembly would send, and the document that samples make. */
export interface AssemblyPreview {
  readonly parts: readonly PreviewedPart[]
  readonly document: OriginText
}

/** Renders all questions of an assembly without asking. Each answer is a sample of its form, or says where it would stand. */
export function previewAssembly(assembly: Assembly, values: AnyValues, options: RenderOptions = {}): AssemblyPreview {
  const answers = new Map<string, unknown>()
  const parts = new Map<string, PreviewedPart>()
  for (;;) {
    const { questions, isComplete, parts: results } = assembly.questions(values, answers)
    const open = questions.filter(({ key }) => !answers.has(key))
    for (const question of open) {
      const previewed = rendered(question, options)
      parts.set(question.key, previewed)
      answers.set(question.key, sampleFor(question.key, previewed.rendering))
    }
    if (open.length === 0)
      return { parts: [...parts.values()], document: isComplete ? assembly.document(values, results, options) : NOTHING }
  }
}

const NOTHING: OriginText = { text: '', origins: [] }

function rendered(question: PartQuestion, options: RenderOptions): PreviewedPart {
  const requests = question.part.candidates
  try {
    return { question, rendering: question.prepared?.render(options), problems: question.problems, requests }
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    return { question, rendering: undefined, problems: fault.problems, requests }
  }
}

function sampleFor(key: string, rendering: Rendering | undefined): unknown {
  const form = rendering?.form
  if (!form) return `[the answer of ${key}]`
  try {
    return answerOf(form, form.read(form.sample(0) ?? '').partial)
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    return answerOf(form, undefined)
  }
}

/** `{"record":…,"row":…,"assembly":…,"fingerprint":…,"parts":[{"part":…,"requests":…,"turns":[…]}],"tokens":…}` */
export class AssemblyWriter implements LineWriter {
  constructor(
    private readonly assembly: Assembly,
    readonly options: LineOptions,
  ) {}

  /** @throws ProblemError where a part cannot be rendered. */
  line({ id, row }: LineRecord, prepared: PreparedValues): Line {
    const { full = false, hash = hashBytes, countTokens } = this.options
    const { parts } = previewAssembly(this.assembly, prepared.values, renderOptions(this.options, id))
    const problems = parts.flatMap((part) => part.problems)
    if (problems.length > 0) throw new ProblemError(problems)
    const written = parts.map(({ question, rendering, requests }) => {
      const turns = byteList(bytesOf(rendering?.turns ?? []))
      return `{"part":"${jsonBytes(question.key)}","prompt":"${jsonBytes(question.prompt.name)}","requests":${requests},"turns":${turns}}`
    })
    const list = `[${written.join(',')}]`
    const fingerprint = full ? hash(list) : undefined
    const tokens = countTokens && parts.reduce((sum, part) => sum + part.requests * turnTokens(part.rendering?.turns ?? [], countTokens), 0)
    const print = fingerprint === undefined ? '' : `,"fingerprint":"${fingerprint}"`
    const counted = tokens === undefined ? '' : `,"tokens":${tokens}`
    const bytes = `{"record":"${jsonBytes(id)}","row":${row},"assembly":"${jsonBytes(this.assembly.name)}"${print},"parts":${list}${counted}}`
    return { bytes, fingerprint, tokens, length: list.length }
  }
}
