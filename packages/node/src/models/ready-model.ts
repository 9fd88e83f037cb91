import { ProblemError, type Library, type Model } from 'dunelight'
import { problem, STAND_IN, standIn, type ModelDescription, type StandInOptions } from 'dunelight/host'
import { USUAL_RULES, type AskingRules } from './model-queue.js'
import { httpModel } from './http-model.js'

/** A model that can be asked. */
export interface ReadyModel {
  readonly name: string
  readonly model: Model
  /** Whether its answers are made up: they are marked as such, and kept for nobody else. */
  readonly madeUp: boolean
  /** All that makes it another model: answers are kept under it. */
  readonly identity: string
  readonly atOnce: number
  readonly rules: AskingRules
  readonly price: ModelDescription['price']
  /** How the stand-in was told to answer. */
  readonly standIn?: Pick<StandInOptions, 'seed' | 'misbehave'>
}

const STAND_IN_AT_ONCE = 16

/** As the platform's own promise does, but for an answer: its signal goes with it, and need not be cleared of who listens. */
function pause(milliseconds: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const clock = setTimeout(resolve, milliseconds)
    const over = () => {
      clearTimeout(clock)
      reject(signal.reason as Error)
    }
    if (signal.aborted) over()
    else signal.addEventListener('abort', over, { once: true })
  })
}

/**
 * Finds a model of a library and prepares it for asking. The order: `name`, the prompt's setting `model`, the library's default,
 * the first model, the mock.
 *
 * @param library - The library.
 * @param prompt - The prompt's name.
 * @param name - The model's name in `models.yaml`.
 * @param options - How the mock answers.
 * @returns The model with its limits and prices.
 * @throws ProblemError if the model is unknown, or a header needs an environment variable that is not set.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * readyModel(library, 'survey/grade').madeUp // => true
 */
export function readyModel(library: Library, prompt: string, name?: string, options: StandInOptions = {}): ReadyModel {
  const { usual, models } = library.shelf.models
  const set = library.prompt(prompt).settings.model
  const wanted = name ?? (typeof set === 'string' && models.has(set) ? set : (usual ?? [...models.keys()][0] ?? STAND_IN))
  if (wanted === STAND_IN) return readyStandIn(options)
  const found = models.get(wanted)
  if (!found) throw new ProblemError([problem('model-unknown', { name: wanted, known: [...models.keys(), STAND_IN] })])
  const faults = library.problems.filter((p) => p.severity === 'error' && p.place?.file === 'models.yaml')
  if (faults.length > 0) throw new ProblemError(faults)
  const { at, envelope, reply, atOnce, price } = found
  const form = envelope && library.fingerprint({ kind: 'envelope', name: envelope.name })
  return {
    name: wanted,
    model: httpModel(found),
    madeUp: false,
    identity: JSON.stringify([wanted, at, form, reply]),
    atOnce,
    rules: found,
    price,
  }
}

function readyStandIn(options: StandInOptions): ReadyModel {
  const { seed = 0, misbehave = {} } = options
  return {
    name: STAND_IN,
    model: standIn({ ...options, pause }),
    madeUp: true,
    identity: JSON.stringify([STAND_IN, seed, misbehave]),
    atOnce: STAND_IN_AT_ONCE,
    rules: USUAL_RULES,
    price: undefined,
    standIn: { seed, misbehave },
  }
}
