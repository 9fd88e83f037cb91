import { error, warning } from './code.js'
import { nearest } from './suggest.js'

/** What is wrong with models, or keeps them from answering. */
export const askingCodes = {
  'model-unknown': error<{ name: string; known: readonly string[] }>(
    'A model that models.yaml does not describe.',
    (d) => `no model is called "${d.name}"`,
    (d) => {
      const near = nearest(d.name, d.known)
      return near ? `did you mean "${near}"?` : `models.yaml describes: ${d.known.join(', ') || 'none'}; "stand-in" makes answers up`
    },
  ),
  'model-key-unfit': error<{ key: string; expected: string; found: string }>(
    'A model’s description says something that no model can be asked by.',
    (d) => `"${d.key}" is ${d.found}, and should be ${d.expected}`,
  ),
  'environment-missing': error<{ name: string; model: string }>(
    'A header takes its value from the environment, and it is not there.',
    (d) => `the model "${d.model}" needs ${d.name} from the environment, and it is not set`,
    (d) => `export ${d.name}=… before the command`,
  ),
  'model-silent': error<{ model: string; why: string; tries: number }>(
    'A model gave no answer, however often it was asked.',
    (d) => `"${d.model}" gave no answer: ${d.why}${d.tries > 1 ? `, asked ${d.tries} times` : ''}`,
  ),
  'model-waits': error<{ model: string; seconds: number; longest: number }>(
    'A service asks to be left alone for longer than a run should wait.',
    (d) => `model "${d.model}" asks for a wait of ${d.seconds} seconds, more than ${d.longest}`,
    () => 'resume the run later, or raise longest-wait in models.yaml',
  ),
  'model-gone': error<{ model: string; why: string; count: number }>(
    'So many questions in a row got no answer that asking on would only take time.',
    (d) => `"${d.model}" answers nobody: ${d.why}, ${d.count} questions in a row`,
    () => 'mend what keeps it from answering, then carry the run on',
  ),
  'screen-found': error<{ screen: string; side: 'before' | 'after'; says: string }>(
    'A screen of dunelight.yaml found what must not go to a model, or must not come back from one.',
    (d) => `the screen "${d.screen}" found ${d.says} in what ${d.side === 'before' ? 'would be sent' : 'came back'}`,
  ),
  'answer-refused': error<{ says: string }>('A model said that it will not answer.', (d) => `the model refused: "${d.says}"`),
  'answer-not-found': error<{ pointer: string; keys: readonly string[] }>(
    'What a service sent holds no text where its description says.',
    (d) => `what the service sent has no text at ${d.pointer}`,
    (d) => (d.keys.length > 0 ? `it holds: ${d.keys.join(', ')}; mend "reply" in models.yaml` : 'mend "reply" in models.yaml'),
  ),
  'run-asked-nothing': error<{ run: string }>(
    'A run that only rendered has no answers to pick from.',
    (d) => `the run ${d.run} asked nobody: it has no answers to pick from`,
    () => 'dunelight ask makes runs that have',
  ),
  'answer-unknown': error<{ record: string; number: number; count: number }>(
    'An answer that a record does not have.',
    (d) => `${d.record} has no answer ${d.number}${d.count > 0 ? `; its answers are 1 to ${d.count}` : ' that could be read'}`,
  ),
  'part-unknown': error<{ part: string; known: readonly string[] }>(
    'A part of an answer that its output does not have: only fields and passages can be asked for by themselves.',
    (d) => `the answer has no part "${d.part}"`,
    (d) => {
      const near = nearest(d.part, d.known)
      return near ? `did you mean "${near}"?` : d.known.length > 0 ? `it has: ${d.known.join(', ')}` : 'ask for the whole of it again'
    },
  ),
  'answers-made-up': warning<object>(
    'The stand-in answers: nothing it says is true.',
    () => 'the stand-in answers: all that it says is made up',
    () => 'describe a model in models.yaml, and name it by --model',
  ),
  'answer-line-broken': warning<{ file: string; line: number }>(
    'A line of kept answers is not whole: something ended in the middle of writing it.',
    (d) => `line ${d.line} of ${d.file} is not whole, and is passed over`,
  ),
}
