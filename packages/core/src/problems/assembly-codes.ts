import { error, info, warning } from './code.js'
import { nearest, suggestion } from './suggest.js'

/** Problems with assemblies, conversations and collected items. */
export const assemblyCodes = {
  'assembly-unknown': error<{ name: string; known: readonly string[] }>(
    'The library has no assembly of this name.',
    (d) => `unknown assembly "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'assemblies'),
  ),
  'part-name-taken': error<{ name: string }>(
    'A part has the name of a variable, of another part, or of the document: texts could not tell them apart.',
    (d) => `the name "${d.name}" is taken`,
    () => 'choose another name for the part',
  ),
  'part-cycle': error<{ circle: readonly string[] }>(
    'Parts use each other’s answers in a cycle, so that none can be asked first.',
    (d) => `the parts need each other: ${d.circle.join(' → ')}`,
  ),
  'part-untrusted': error<{ path: string; prompt: string }>(
    'An answer or another untrusted text reaches a variable that the prompt does not fence.',
    (d) => `untrusted text reaches "${d.path}" of the prompt "${d.prompt}"`,
    (d) => `declare "${d.path}" with untrusted: true there, and insert it in a fence`,
  ),
  'part-otherwise': error<{ part: string; answer: string; found: string }>(
    'The value that stands in for a skipped part is of another type than the part’s answer.',
    (d) => `"otherwise" of the part "${d.part}" must be ${d.answer}, not ${d.found}`,
  ),
  'part-key-unused': warning<{ key: string }>(
    'A key of a part has no effect with a single candidate.',
    (d) => `"${d.key}" has no effect with one candidate`,
    () => 'add candidates: 3, or remove the key',
  ),
  'part-score-missing': error<{ prompt: string }>(
    'The prompt that scores candidates must answer with one integer field.',
    (d) => `the answer of "${d.prompt}" has no single integer to score by`,
    () => 'give it an output of fields with exactly one required integer',
  ),
  'part-score-blind': error<{ prompt: string; part: string }>(
    'The prompt that scores candidates does not take the candidate.',
    (d) => `the prompt "${d.prompt}" does not take the candidate "${d.part}"`,
    (d) => `declare a variable "${d.part}" with untrusted: true`,
  ),
  'part-unused': warning<{ name: string }>(
    'The answer of a part is asked for and then used by nothing.',
    (d) => `the answer of the part "${d.name}" is never used`,
    () => 'insert it in the text, pass it to another part, or remove the part',
  ),
  'part-failed': error<{ part: string; why: string }>(
    'A part of an assembly has no usable answer, so that its record has no document.',
    (d) => `the part "${d.part}" has no answer: ${d.why}`,
  ),
  'part-waiting': error<{ parts: readonly string[] }>(
    'Parts wait until a person has chosen one of their candidates.',
    (d) => `${d.parts.map((part) => `"${part}"`).join(', ')} ${d.parts.length === 1 ? 'waits' : 'wait'} for a person’s choice`,
    () => 'ask in a run, then choose with dunelight review',
  ),
  'part-out-of-date': error<{ record: string; parts: readonly string[] }>(
    'What a part was asked with has changed since a person accepted its answer. The answer stays as it is.',
    (d) => `${d.record} is out of date in ${d.parts.map((part) => `"${part}"`).join(', ')}`,
    () => 'regenerate and accept again, or export with --allow-out-of-date',
  ),
  'part-not-ready': error<{ part: string; record: string; known: readonly string[] }>(
    'A record has no such part, or not yet: another part must be answered or chosen first.',
    (d) => `${d.record} has no part "${d.part}" to review`,
    (d) => {
      const near = nearest(d.part, d.known)
      return near ? `did you mean "${near}"?` : `it has: ${d.known.join(', ')}`
    },
  ),
  'models-differ': error<{ models: readonly string[] }>(
    'The prompts of an assembly name different models in their settings, and an assembly asks one.',
    (d) => `the parts name different models: ${d.models.join(', ')}`,
    () => 'choose one with --model',
  ),
  'document-only': error<{ prompt: string }>(
    'A file for each record needs an output of kind document, or an assembly.',
    (d) => `"${d.prompt}" gives no document`,
    () => 'use --to FILE.jsonl, .csv or .tsv',
  ),
  'history-missing': error<{ prompt: string }>(
    'A conversation needs a prompt that places its earlier turns.',
    (d) => `the prompt "${d.prompt}" places no history`,
    () => 'declare a variable of type turns, and place it with history: NAME',
  ),
  'collect-few': info<{ wanted: number; got: number; why: string }>(
    'Collecting items ended before there were as many as wanted.',
    (d) => `${d.got} of ${d.wanted} items: ${d.why}`,
  ),
  'answer-column-unknown': error<{ name: string; known: readonly string[] }>(
    'Items are compared by a column that the answers do not have.',
    (d) => `the answers have no column "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'columns'),
  ),
  'over-invalid': error<{ name: string; why: string }>(
    '--over spreads requests over the values of a variable: a choice or a boolean of the prompt.',
    (d) => `cannot spread over "${d.name}": ${d.why}`,
  ),
}
