import { ASSEMBLY_KEYS, CHOICES, CHOOSE_KEYS, MOST_CANDIDATES, PART_KEYS } from '../artefacts/assembly.js'
import type { JsonSchema } from '../interop/to-schema.js'
import { VARIABLE_DEFS, VARIABLES } from './declarations.js'
import { artefactSchema, either, mapOf, mapSchema, oneOf, SCALAR, texts } from './keys.js'

const scored = mapSchema(CHOOSE_KEYS, { prompt: 'The prompt that scores each candidate with an integer.' }, ['prompt'])

const part = mapSchema(
  PART_KEYS,
  {
    prompt: 'The prompt that is asked.',
    candidates: ['How many answers are asked for.', { minimum: 1, maximum: MOST_CANDIDATES }],
    distinct: 'Whether candidates that are nearly the same are asked for again.',
    choose: [
      'Which candidate counts: the first valid one, the one that a person chooses, or the one with the best score.',
      either(oneOf(CHOICES), scored),
    ],
    with: ['Variables of the prompt that get a value of the assembly, or the answer of another part.', mapOf(SCALAR)],
    set: ['Variables of the prompt that get a constant.', mapOf({})],
    each: 'Asks for every item of a list: object in objects.',
    when: 'Asks only if this holds: critique.points is not empty.',
    otherwise: 'What stands in for the answer of a part that is skipped.',
  },
  ['prompt'],
)

export const assemblySchema: JsonSchema = {
  ...artefactSchema(
    ASSEMBLY_KEYS,
    {
      tags: ['Words to find it by.', texts],
      variables: ['The values of one record.', VARIABLES],
      parts: ['The prompts that are asked, by the names of their answers.', mapOf(part)],
      text: 'The document: text with slots for values and for the answers of parts. Default: the answer of the last part.',
    },
    ['parts'],
  ),
  $defs: VARIABLE_DEFS,
}
