import { ProblemError, type AnyValues } from 'dunelight'
import { usageOf } from 'dunelight/host'
import type { ClientAskOptions, ClientPrompt, ClientRenderOptions } from '../remote/client-prompt.js'
import { Refusal } from '../remote/refusal.js'
import type { AskedPrompt, ReadPrompt, RenderedPrompt } from '../remote/wire.js'
import type { LocalWording } from './local-wordings.js'

/** A prompt that is rendered here: its values leave the process only for the model that the application asks. */
export class LocalPrompt implements ClientPrompt {
  constructor(
    readonly name: string,
    /** The wording in use: each call uses one of them from its beginning to its end. */
    private readonly wording: () => Promise<LocalWording>,
  ) {}

  async render(values: AnyValues, options: ClientRenderOptions = {}): Promise<RenderedPrompt> {
    const { library, edition } = await this.wording()
    const { turns, fingerprint } = library.prompt(this.name).render(values, options)
    return { turns, fingerprint, edition }
  }

  async ask(values: AnyValues, { model, signal, onPiece, idempotencyKey, ...options }: ClientAskOptions = {}): Promise<AskedPrompt> {
    if (!model) throw new TypeError('in local mode the application asks its own model: ask(values, { model })')
    if (idempotencyKey !== undefined) throw new TypeError('an idempotency key is for a service; in local mode the model is asked directly')
    const { library, edition } = await this.wording()
    const prompt = library.prompt(this.name)
    const prepared = prompt.prepare(values)
    const { fingerprint } = prepared.render(options)
    let sent = ''
    const onText = (text: string) => {
      const from = text.startsWith(sent) ? sent.length : 0
      sent = text
      onPiece?.({ from, text: text.slice(from) })
    }
    const answer = await prompt.askPrepared(prepared, { model, ...options, ...(signal && { signal }), ...(onPiece && { onText }) })
    const { text, reply, problems, notes, answers } = answer
    if (problems.length > 0 || text === undefined || !reply) throw new ProblemError(problems)
    const usage = usageOf(answers)
    return {
      answer: reply.value,
      text,
      edition,
      fingerprint,
      model: 'the application’s own',
      ...(usage && { usage }),
      repairs: messagesOf(reply.repairs),
      unsupported: messagesOf(reply.unsupported),
      notes: messagesOf(notes),
      corrections: answers.length - 1,
      cached: false,
      ...(answers.some(({ isMock }) => isMock) && { isMock: true as const }),
    }
  }

  async read(text: string, values?: AnyValues): Promise<ReadPrompt> {
    const { library, edition } = await this.wording()
    const prompt = library.prompt(this.name)
    const checked = values && prompt.render(values).read(text)
    const read = checked ?? prompt.read(text)
    if (read.problems.length > 0) throw new ProblemError(read.problems)
    return {
      answer: read.value,
      edition,
      repairs: messagesOf(read.repairs),
      ...(checked && { unsupported: messagesOf(checked.unsupported) }),
    }
  }
}

function messagesOf(all: readonly { readonly message: string }[]): string[] {
  return all.map(({ message }) => message)
}

/** What an application hears when the editions are older than it allows. */
export function tooOld(days: number): Refusal {
  const detail = `the editions were not checked for more than ${days} days, and the service cannot be reached`
  return new Refusal({ type: 'urn:dunelight:stale', title: 'The editions are too old', status: 0, detail })
}
