import { ProblemError, type Library, type Model, type ModelRequest } from 'dunelight'
import { problem, MOCK_MODEL, mockModel, type ModelDescription, type MockOptions } from 'dunelight/host'
import { DEFAULT_REQUEST_LIMITS, type RequestLimits } from './model-queue.js'
import { httpModel, requestBody } from './http-model.js'

/** A model that can be asked. */
export interface ReadyModel {
  readonly name: string
  readonly model: Model
  /** Whether it is the mock model: its answers are marked and not cached in the library. */
  readonly isMock: boolean
  /** All that makes it another model: answers are kept under it. */
  readonly identity: string
  /** What a request sends over the network: answers are cached by it. Undefined for models of a program. */
  readonly body?: (request: ModelRequest) => string
  /** The service that answers, whatever is sent to it. Default: the identity. */
  readonly service?: string
  readonly concurrency: number
  readonly limits: RequestLimits
  readonly price: ModelDescription['price']
  /** The seed and faults of the mock model. */
  readonly mock?: Pick<MockOptions, 'seed' | 'faults'>
}

const MOCK_CONCURRENCY = 16

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

/** The model that a prompt's settings name. The prompts of an assembly name one, or none. */
function modelSetFor(library: Library, name: string): string | undefined {
  const isAssembly = library.artefacts.assemblies.has(name)
  const prompts = isAssembly
    ? library.graph.uses({ kind: 'assembly', name }).flatMap(({ kind, name: of }) => (kind === 'prompt' ? [of] : []))
    : [name]
  const models = new Set(
    prompts.flatMap((prompt) => {
      const { model } = library.prompt(prompt).settings
      return typeof model === 'string' ? [model] : []
    }),
  )
  if (models.size > 1) throw new ProblemError([problem('models-differ', { models: [...models] })])
  return [...models][0]
}

/**
 * Finds a model of a library and prepares it for asking. The order: `name`, the prompt's setting `model`, the library's default,
 * the first model, the mock.
 *
 * @param library - The library.
 * @param prompt - The name of the prompt or assembly.
 * @param name - The model's name in `models.yaml`.
 * @param options - How the mock answers.
 * @returns The model with its limits and prices.
 * @throws ProblemError if the model is unknown, or a header needs an environment variable that is not set.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * readyModel(library, 'survey/grade').isMock // => true
 */
export function readyModel(library: Library, prompt: string, name?: string, options: MockOptions = {}): ReadyModel {
  const { defaultModel, models } = library.artefacts.models
  const set = name ?? modelSetFor(library, prompt)
  const wanted = name ?? (set !== undefined && models.has(set) ? set : (defaultModel ?? [...models.keys()][0] ?? MOCK_MODEL))
  if (wanted === MOCK_MODEL) return readyMock(options)
  const modelDescription = models.get(wanted)
  if (!modelDescription) throw new ProblemError([problem('model-unknown', { name: wanted, known: [...models.keys(), MOCK_MODEL] })])
  const faults = library.problems.filter((p) => p.severity === 'error' && p.place?.file === 'models.yaml')
  if (faults.length > 0) throw new ProblemError(faults)
  const { url, envelope, answer, concurrency, price } = modelDescription
  const form = envelope && library.fingerprint({ kind: 'envelope', name: envelope.name })
  return {
    name: wanted,
    model: httpModel(modelDescription),
    isMock: false,
    identity: JSON.stringify([wanted, url, form, answer]),
    service: JSON.stringify([wanted, url, answer]),
    body: (request) => requestBody(modelDescription, request),
    concurrency,
    limits: modelDescription,
    price,
  }
}

function readyMock(options: MockOptions): ReadyModel {
  const { seed = 0, faults = {} } = options
  return {
    name: MOCK_MODEL,
    model: mockModel({ ...options, pause }),
    isMock: true,
    identity: JSON.stringify([MOCK_MODEL, seed, faults]),
    concurrency: MOCK_CONCURRENCY,
    limits: DEFAULT_REQUEST_LIMITS,
    price: undefined,
    mock: { seed, faults },
  }
}
