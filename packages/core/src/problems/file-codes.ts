import { defined } from '../invariant.js'
import { error, info, warning } from './code.js'
import { nearest, nearestOf, suggestion } from './suggest.js'

/** Problems in a library's files. */
export const fileCodes = {
  'yaml-invalid': error<{ detail: string; hint?: string }>(
    'The file is not valid YAML.',
    (d) => `invalid YAML: ${d.detail}`,
    (d) => d.hint,
  ),
  'text-cut': warning<object>(
    'In YAML a space and a # begin a comment: the rest of a text is lost.',
    () => 'the # cuts the text: what follows is a comment',
    () => 'put the text in quotes; for a comment, leave a space behind the #',
  ),
  'key-inapplicable': error<{ key: string; type: string; fits: readonly string[] }>(
    'A key of a variable or field does not apply to its type. It would be ignored.',
    (d) => `"${d.key}" does not apply to ${d.type}`,
    (d) => (d.fits.length === 0 ? 'remove it' : `${d.type} takes ${d.fits.join(', ')}`),
  ),
  'key-unknown': error<{
    key: string
    known: readonly string[]
    of: string
    renamed?: string | undefined
    cut?: boolean
  }>(
    'A key is unknown. It would otherwise be ignored without a word.',
    (d) => `unknown key "${d.key}" of ${d.of}`,
    (d) => {
      if (d.cut) return 'in { … } a comma ends a text: put the text before it in quotes'
      return d.renamed === undefined ? suggestion(d.key, d.known, 'keys') : `the key is now "${d.renamed}"`
    },
  ),
  'key-dropped': warning<{ key: string; of: string; help: string }>(
    'A key of earlier versions has no effect any more. Files of earlier commits have it, and can still be opened.',
    (d) => `the key "${d.key}" of ${d.of} has no effect any more`,
    (d) => d.help,
  ),
  'key-missing': error<{ key: string; of: string }>(
    'A required key is missing.',
    (d) => `${d.of} needs the key "${d.key}"`,
    (d) => (d.key === 'of' ? 'write of: [first, second]' : undefined),
  ),
  'key-invalid': error<{ key: string; expected: string; found: string; slot?: boolean }>(
    'The value of a key has the wrong type or is not allowed.',
    (d) => `"${d.key}" must be ${d.expected}, not ${d.found}`,
    (d) => (d.slot ? 'put the text in quotes, or write it on lines of its own after |' : nearestOf(d.expected, d.found)),
  ),
  'type-unknown': error<{ name: string; known: readonly string[] }>(
    'A variable is declared with an unknown type.',
    (d) => `unknown type "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'types'),
  ),
  'bounds-contradict': error<{ least: string; most: string }>(
    'A lower bound is above the upper bound.',
    (d) => `"${d.least}" is above "${d.most}"`,
    () => 'exchange them',
  ),
  'default-invalid': error<{ name: string; why: string; fix?: string | undefined }>(
    'A default value does not match its own declaration.',
    (d) => `invalid default for "${d.name}": ${d.why}`,
    (d) => d.fix,
  ),
  'name-invalid': error<{ name: string }>(
    'Each step of an artefact’s path must be a name.',
    (d) => `"${d.name}" is not a valid name`,
    (d) =>
      /^\p{L}[\p{L}\d _-]*$/u.test(d.name)
        ? `write ${d.name.replaceAll(' ', '-')}`
        : 'a name starts with a letter or _, followed by letters, digits, _ and -',
  ),
  'name-clash': error<{ name: string; what: string; other: string }>(
    'Two files define the same name.',
    (d) => `the ${d.what} "${d.name}" is defined twice, here and in ${d.other}`,
    () => 'remove or rename one of them',
  ),
  'name-case-clash': error<{ name: string; other: string; what: string }>(
    'Names that differ only in case or Unicode composition are one file on some machines and two on others.',
    (d) => `the ${d.what}s "${d.name}" and "${d.other}" differ only in case`,
    () => 'rename one of them',
  ),
  'folder-taken': error<{ folder: string }>(
    'A new library is made in a folder of its own.',
    (d) => `there is something at ${d.folder} already`,
    () => 'name a folder that does not exist, or an empty one',
  ),
  'name-taken': error<{ name: string }>(
    '"persona", "examples" and "output" have a special meaning after "use".',
    (d) => `a snippet cannot be named "${d.name}"`,
    () => 'rename the file',
  ),
  'folder-unknown': warning<{ folder: string; known: readonly string[] }>(
    'A file is in a folder that Dunelight does not read.',
    (d) => `the folder "${d.folder}" is not read`,
    (d) => suggestion(d.folder, d.known, 'folders'),
  ),
  'text-folded': error<object>(
    'YAML joins the lines of a folded or plain scalar, so a directive in it would not have its own line.',
    () => 'a directive is in a text that YAML joins to one line',
    () => 'write the text with |',
  ),
  'base-cycle': error<{ circle: readonly string[] }>(
    'Prompts are based on each other in a cycle.',
    (d) => `cyclic "based-on": ${d.circle.join(' → ')}`,
  ),
  'bind-unknown': error<{ name: string; known: readonly string[] }>(
    '"bind" and "replace" can only name what the base has.',
    (d) => `the base has no "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'it has'),
  ),
  'bind-invalid': error<{ name: string; why: string }>(
    'A bound text does not match the variable’s declaration.',
    (d) => `"${d.name}" cannot be bound: ${d.why}`,
  ),
  'base-turns': error<object>(
    'A prompt with "based-on" takes its turns from the base.',
    () => 'a prompt with "based-on" cannot have "turns"',
    () => 'use replace: or add-turns:',
  ),
  'turn-key-misplaced': error<{ key: string; of: string; belongs: string }>(
    'A key is not allowed in this kind of turn.',
    (d) => `"${d.key}" cannot be used with "${d.of}"`,
    (d) => `use it with ${d.belongs}`,
  ),
  'base-needs': error<{ name: string; base: string; dropped: boolean }>(
    'A prompt drops or redeclares a variable that a text of its base needs.',
    (d) =>
      d.dropped
        ? `a text of "${d.base}" needs "${d.name}", which this prompt drops`
        : `a text of "${d.base}" does not work with "${d.name}" as this prompt declares it`,
    (d) => (d.dropped ? 'replace that turn, or keep the variable' : 'replace that turn, or change the declaration'),
  ),
  'attach-invalid': error<{ path: string; type: string }>(
    'Only files and lists of files can be attached.',
    (d) => `"${d.path}" cannot be attached: it is ${d.type}`,
    () => 'declare it as { type: file }, or insert it into the text',
  ),
  'attach-missing': error<{ path: string; why: string }>(
    'An attached file does not exist.',
    (d) => `"${d.path}" cannot be attached: ${d.why}`,
    () => 'paths are relative to the file that contains them',
  ),
  'artefact-unused': info<{ what: string; name: string }>(
    'No prompt uses this snippet, persona, example set or output.',
    (d) => `no prompt uses the ${d.what} "${d.name}"`,
    () => 'use it, or remove its file',
  ),
  'history-invalid': error<{ name: string; type: string }>(
    '"history" needs a variable of type turns.',
    (d) => `"history" needs a variable of type turns, but "${d.name}" is ${d.type}`,
  ),
  'history-unfenced': error<{ name: string }>(
    'The user turns of an untrusted history must be fenced.',
    (d) => `the history "${d.name}" is untrusted and not fenced`,
    (d) => `write history: { from: ${d.name}, fence: question }`,
  ),
  'path-leaves-library': error<{ path: string }>(
    'A path leads out of the library’s folder.',
    (d) => `"${d.path}" is outside the library's folder`,
    () => 'a path begins at the folder of its own file, and leads to a file of the library',
  ),
  'started-answer-space': warning<object>(
    'Models continue badly after a started answer that ends in a space.',
    () => 'the started answer ends in a space',
    () => 'remove the space',
  ),
  'case-invalid': error<{ number: number; field: string; why: string }>(
    'A case does not match the fields of its set.',
    (d) => `case ${d.number}: "${d.field}" ${d.why}`,
  ),
  'case-unreadable': error<{ number: number; answer: string; output: string; why: string }>(
    'The expected side of a case cannot be read by the prompt’s output.',
    (d) => `the expected side of case ${d.number}, "${d.answer}", cannot be read by the output "${d.output}": ${d.why}`,
  ),
  'expected-other-form': warning<{ set: string; expected: string; output: string; why: string }>(
    'A prompt asks for an answer in one form, and its example cases show another. Models follow the cases.',
    (d) => `the cases of "${d.set}" show "${d.expected}", which is not the form that the output "${d.output}" asks for: ${d.why}`,
    () => 'write the expected side as the output asks, or: expected-form: output',
  ),
  'case-row-invalid': error<{ path: string; why: string; fix?: string | undefined }>(
    'A row of a set’s table does not match the set’s fields.',
    (d) => `${d.path}: ${d.why}`,
    (d) => d.fix,
  ),
  'cases-missing': error<{ path: string; why: string }>(
    'The table of a set’s cases cannot be read.',
    (d) => `cannot read cases from "${d.path}": ${d.why}`,
    () => 'the path is relative to the folder of the set’s own file',
  ),
  'pick-invalid': error<{ key: string; found: string; known: readonly string[] }>(
    'An unknown way of picking or ordering.',
    (d) => `"${d.key}" must be one of ${d.known.join(', ')}, not "${d.found}"`,
    (d) => nearest(d.found, d.known) && `did you mean "${defined(nearest(d.found, d.known))}"?`,
  ),
  'pick-without-record': error<{ by: string; set: string }>(
    'Picking by likeness compares cases with the current record, but the prompt does not name a text to compare with.',
    (d) => `"${d.set}" picks by ${d.by}, but the prompt gives no text to compare its cases with`,
    (d) => `add a turn "- input: ${d.set}", or name the text with to: "{…}"`,
  ),
  'budget-uncounted': error<{ set: string }>(
    'A budget in tokens needs a token counter.',
    (d) => `"${d.set}" has a budget in tokens, but there is no token counter`,
    () => 'openLibrary of @dunelight/node loads one; elsewhere pass { countTokens }',
  ),
  'history-over-budget': warning<{ name: string; budget: number }>(
    'The latest exchange of a history is longer than the budget: no earlier turn is in the prompt.',
    (d) => `no exchange of "${d.name}" fits into the budget of ${d.budget} tokens`,
    () => 'raise the budget',
  ),
  'flatten-invalid': error<{ name: string; known: readonly string[] }>(
    '`flatten` names a column of the answer that is no list and no record.',
    (d) => `the answer has no list or record "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'lists and records'),
  ),
  'flatten-lists': error<{ names: readonly string[] }>(
    'Two lists cannot become rows at the same time.',
    (d) => `"flatten" names several lists: ${d.names.join(', ')}`,
    () => 'name one of them',
  ),
  'expected-form-invalid': error<{ set: string; output: string; field: string }>(
    'Cases with "expected-form: output" must have the fields of the output.',
    (d) =>
      `the cases of "${d.set}" cannot be written in the form of "${d.output}": they have no ${d.field === 'the label' ? 'choice field' : `field "${d.field}"`}`,
    (d) =>
      d.field === 'document'
        ? 'this document differs between records: give each case the whole document in a field "document"'
        : 'add the field to the cases, or write a layout with expected:',
  ),
  'expected-without-beginning': error<{ set: string }>(
    '"begin-answer" needs an expected side that begins with fixed text.',
    (d) => `the expected side of "${d.set}" does not begin with fixed text`,
    (d) => `begin the layout "expected" of "${d.set}" with fixed text, such as "Grade: "`,
  ),
  'label-without-case': warning<{ label: string; field: string; count: number }>(
    'No case, or only one, shows a label that an answer can have.',
    (d) => (d.count === 0 ? `no case has the ${d.field} "${d.label}"` : `only one case has the ${d.field} "${d.label}"`),
    () => 'add a case or two',
  ),
  'labels-unbalanced': warning<{ most: string; least: string; times: number }>(
    'Models prefer the answers that they see most often.',
    (d) => `there are ${d.times} times as many cases of "${d.most}" as of "${d.least}"`,
    () => 'balance them, or pick with cover:',
  ),
  'cases-contradict': warning<{ first: number; other: number }>(
    'Two cases have the same input and different expected sides.',
    (d) => `cases ${d.first} and ${d.other} have the same input and different expected sides`,
    () => 'remove or correct one of them',
  ),
  'cases-alike': warning<{ first: number; other: number }>(
    'Two cases are almost the same.',
    (d) => `cases ${d.first} and ${d.other} are nearly the same`,
    () => 'remove one of them',
  ),
  'case-long': info<{ number: number; times: number }>(
    'A case is much longer than the others.',
    (d) => `case ${d.number} is ${d.times} times as long as most`,
  ),
  'expected-not-readable': warning<{ number: number; answer: string }>(
    'The values of a case cannot be read back from its expected side.',
    (d) => `the expected side of case ${d.number}, "${d.answer}", cannot be read back by its layout`,
    () => 'separate its parts by a character or a line that no value contains',
  ),
  'join-unequal': error<{ as: string }>(
    'A join must compare a column of the table with a column of the record. Tables are joined by equality only.',
    (d) => `"where" of "${d.as}" does not compare one of its columns with the record`,
    (d) => `write where: item.code is ${d.as}.code, and use keep: for other conditions`,
  ),
  'join-name-duplicate': error<{ name: string }>(
    'Two tables of a batch have the same name.',
    (d) => `two tables are named "${d.name}"`,
    () => 'rename one of them with as:',
  ),
  'set-invalid': error<{ name: string; why: string; fix?: string | undefined }>(
    'A batch sets a value that the variable of its prompt does not take.',
    (d) => `invalid value for "${d.name}": ${d.why}`,
    (d) => d.fix,
  ),
  'output-twice': error<{ path: string }>(
    'A batch writes two results to one file.',
    (d) => `"${d.path}" is written twice: it is where all records go`,
    () => 'name another file',
  ),
  'envelope-name-unknown': error<{ name: string; known: readonly string[] }>(
    'An envelope has an unknown slot.',
    (d) => `unknown slot "${d.name}" in an envelope`,
    (d) => suggestion(d.name, d.known, 'slots'),
  ),
  'setting-invalid': error<{ key: string; expected: string }>(
    'A known setting has a value that no model accepts.',
    (d) => `the setting "${d.key}" must be ${d.expected}`,
  ),
  'setting-misspelt': warning<{ key: string; near: string }>(
    'A setting that Dunelight does not know resembles one that it knows. It is passed on unchanged, and a model service may ignore it.',
    (d) => `unknown setting "${d.key}"; it is passed on unchecked`,
    (d) => `did you mean "${d.near}"?`,
  ),
  'setting-unknown': info<{ key: string; known: readonly string[] }>(
    'A setting that Dunelight does not know is passed on unchanged.',
    (d) => `the setting "${d.key}" is passed on unchecked`,
    (d) => suggestion(d.key, d.known, 'known settings'),
  ),
  'secret-in-text': error<object>(
    'A text looks like an access key. Keys are read from the environment, never from a library.',
    () => 'this looks like an access key',
    () => 'remove it, revoke it, and read it from the environment instead',
  ),
}
