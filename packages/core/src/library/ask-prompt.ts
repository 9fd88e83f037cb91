import type { EnvelopeWriter } from './envelope.js'
import { exchange, type Exchanged } from './exchange.js'
import { hashBytes } from './fingerprint.js'
import type { PreparedValues } from './prepared-values.js'
import type { Prompt } from './prompt.js'
import type { Rendering, RenderOptions } from './rendering.js'
import type { AuditEvent, AuditSink } from '../asking/audit.js'
import type { Model, ModelAnswer, Usage } from '../asking/port.js'
import type { Screens } from '../asking/screens.js'
import type { Form } from '../outputs/form.js'
import { contained } from '../problems/contained.js'
import { ProblemError, type Problem } from '../problems/problem.js'
import { byteList, bytesOf, type Turn } from '../render/render.js'
import { utf8Text } from '../render/json-bytes.js'

/** How a program asks a model. */
export interface AskSettings extends RenderOptions {
  readonly model: Model
  /** How often a reply that cannot be used is asked for again. Default: 2. */
  readonly corrections?: number
  /** Which of several answers to the same question, from 1. */
  readonly candidate?: number
  /** Gives up the request. */
  readonly signal?: AbortSignal
  /** Hears the text of the reply as far as it has come, if the model sends it in pieces. */
  readonly onText?: (text: string) => void
}

/** A model's answer to one rendering. */
export interface PromptAnswer<R = unknown> extends Exchanged {
  /** The reply as data; undefined where there are problems. */
  readonly value: R | undefined
  readonly form: Form<R> | undefined
  /** All answers of the model, those that were asked for again first. */
  readonly answers: readonly ModelAnswer[]
}

/** What asking needs of a library. */
export interface AskTools {
  readonly screens: () => Screens
  readonly countTokens: ((text: string) => number) | undefined
  readonly writerFor: (prompt: Prompt, envelope: string) => EnvelopeWriter
  readonly audit: () => AuditSink | undefined
}

/**
 * Renders prepared values, asks and reads.
 *
 * @throws what the model throws, and ScreenStop.
 */
export async function askPrepared<R>(
  prompt: Prompt,
  prepared: PreparedValues,
  tools: AskTools,
  settings: AskSettings & { readonly more?: readonly Turn[] },
): Promise<PromptAnswer<R>> {
  const { model, corrections = 2, candidate = 1, signal = endless(), onText, more, ...options } = settings
  const answers: ModelAnswer[] = []
  let rendering: Rendering | undefined
  const audited = async (ended: Pick<AuditEvent, 'notes' | 'problems' | 'fault'>) =>
    tools.audit()?.({
      operation: 'ask',
      prompt: prompt.name,
      values: prepared.values,
      fingerprint: rendering?.fingerprint,
      turns: rendering?.turns ?? [],
      reply: answers.at(-1)?.text,
      requests: answers.length,
      usage: usageOf(answers),
      isMock: answers.some(({ isMock }) => isMock),
      ...ended,
    })
  try {
    rendering = contained(() => prepared.render(options))
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    await audited({ notes: [], problems: fault.problems })
    return { ...unasked(fault.problems), answers }
  }
  const { form } = rendering
  const record = options.record ?? ''
  const ask = async (turns: readonly Turn[]): Promise<ModelAnswer> => {
    const bytes = bytesOf(turns)
    const fingerprint = hashBytes(byteList(bytes))
    const answer = await model(
      {
        prompt: prompt.name,
        record,
        turns,
        settings: prompt.settings,
        form,
        fingerprint,
        values: prepared.values,
        candidate,
        enveloped: (name) => utf8Text(tools.writerFor(prompt, name).of({ id: record, row: 1, cells: [] }, prepared, bytes, fingerprint)),
      },
      { signal, ...(onText && { onText }) },
    )
    answers.push(answer)
    return answer
  }
  let exchanged: Exchanged
  try {
    const { countTokens } = tools
    exchanged = await exchange(rendering, {
      ask,
      corrections,
      screens: tools.screens(),
      ...(countTokens && { counter: () => Promise.resolve(countTokens) }),
      ...(more && { more }),
    })
  } catch (fault) {
    await audited({ notes: [], problems: [], fault })
    throw fault
  }
  const { notes, problems } = exchanged
  await audited({ notes, problems })
  const value = exchanged.problems.length > 0 ? undefined : (exchanged.reply?.value as R | undefined)
  return { ...exchanged, value, form: form as Form<R> | undefined, answers }
}

/** The tokens of several answers; undefined where no service counted any. */
export function usageOf(answers: readonly ModelAnswer[]): Usage | undefined {
  const counted = answers.flatMap(({ usage }) => usage ?? [])
  if (counted.length === 0) return undefined
  const sum = (of: (usage: Usage) => number) => counted.reduce((total, usage) => total + of(usage), 0)
  return { sent: sum(({ sent }) => sent), received: sum(({ received }) => received) }
}

function unasked(problems: readonly Problem[]): Omit<PromptAnswer<never>, 'answers'> {
  return { text: undefined, reply: undefined, problems, notes: [], value: undefined, form: undefined }
}

/** A signal that never aborts. Every platform has its maker, which the language itself does not declare. */
function endless(): AbortSignal {
  const { AbortController } = globalThis as unknown as { AbortController: new () => { readonly signal: AbortSignal } }
  return new AbortController().signal
}
