import { error, warning } from './code.js'
import { nearest } from './suggest.js'

/** Problems with models and their answers. */
export const askingCodes = {
  'model-unknown': error<{ name: string; known: readonly string[] }>(
    'A model is not described in models.yaml.',
    (d) => `unknown model "${d.name}"`,
    (d) => {
      const near = nearest(d.name, d.known)
      return near ? `did you mean "${near}"?` : `models: ${d.known.join(', ') || 'none'}; "mock" is the built-in mock model`
    },
  ),
  'model-key-invalid': error<{ key: string; expected: string; found: string }>(
    'A key of a model’s description has a value that is not allowed.',
    (d) => `"${d.key}" must be ${d.expected}, not ${d.found}`,
  ),
  'environment-missing': error<{ name: string; model: string }>(
    'A header needs an environment variable that is not set.',
    (d) => `the model "${d.model}" needs the environment variable ${d.name}, which is not set`,
    (d) => `run: export ${d.name}=…`,
  ),
  'model-without-answer': error<{ model: string; why: string; tries: number }>(
    'A model gave no answer, also after retries.',
    (d) => `model "${d.model}" gave no answer: ${d.why}${d.tries > 1 ? ` (${d.tries} attempts)` : ''}`,
  ),
  'retry-after-too-long': error<{ model: string; seconds: number; longest: number }>(
    'The service asks to wait longer than a run may wait.',
    (d) => `model "${d.model}" asks to retry after ${d.seconds} seconds, more than ${d.longest}`,
    () => 'resume the run later, or raise max-wait in models.yaml',
  ),
  'session-spent': error<{ most: number }>(
    'The desk has sent as many requests as this session may send.',
    (d) => `the ${d.most} requests of this session are used`,
    () => 'allow more on the page, or start the desk with --requests N',
  ),
  'model-unreachable': error<{ model: string; why: string; count: number }>(
    'Too many requests in a row failed, so the run stops.',
    (d) => `model "${d.model}" is unreachable: ${d.why} (${d.count} requests failed in a row)`,
    () => 'fix the connection, then resume the run',
  ),
  'screen-found': error<{ screen: string; side: 'request' | 'reply'; detail: string }>(
    'A screen of dunelight.yaml found something in a request or a reply.',
    (d) => `the screen "${d.screen}" found ${d.detail} in the ${d.side}`,
  ),
  'answer-refused': error<{ detail: string }>('The model refused to answer.', (d) => `the model refused: "${d.detail}"`),
  'answer-not-found': error<{ pointer: string; keys: readonly string[] }>(
    'The response has no text where the model’s description says.',
    (d) => `the response has no text at ${d.pointer}`,
    (d) => (d.keys.length > 0 ? `it has: ${d.keys.join(', ')}; correct "answer" in models.yaml` : 'correct "answer" in models.yaml'),
  ),
  'run-without-answers': error<{ run: string }>(
    'A run that only rendered has no answers to review.',
    (d) => `the run ${d.run} has no answers: it did not ask a model`,
    () => 'create a run with dunelight ask',
  ),
  'answer-unknown': error<{ record: string; number: number; count: number }>(
    'A record does not have this candidate.',
    (d) => `${d.record} has no answer ${d.number}${d.count > 0 ? `; its answers are 1 to ${d.count}` : ' that could be read'}`,
  ),
  'part-unknown': error<{ part: string; known: readonly string[] }>(
    'An answer does not have this part. Only fields and passages can be regenerated alone.',
    (d) => `the answer has no part "${d.part}"`,
    (d) => {
      const near = nearest(d.part, d.known)
      return near ? `did you mean "${near}"?` : d.known.length > 0 ? `it has: ${d.known.join(', ')}` : 'regenerate the whole answer'
    },
  ),
  'mock-answers': warning<object>(
    'The built-in mock model invents its answers.',
    () => 'answers come from the built-in mock model',
    () => 'describe a model in models.yaml, or name one with --model',
  ),
  'answer-line-broken': warning<{ file: string; line: number }>(
    'A line of the answer cache is incomplete: a process ended while writing it.',
    (d) => `line ${d.line} of ${d.file} is incomplete and is skipped`,
  ),
}
