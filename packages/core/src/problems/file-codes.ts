import { defined } from '../invariant.js'
import { error, info, warning } from './code.js'
import { meant, nearest } from './suggest.js'

/** Faults of a library's files. */
export const fileCodes = {
  'yaml-unreadable': error<{ says: string }>('The file is no YAML.', (d) => `this is no readable YAML: ${d.says}`),
  'key-unknown': error<{ key: string; known: readonly string[]; of: string; cut?: boolean }>(
    'A key that nothing reads: a slip of the pen would be lost in silence.',
    (d) => `${d.of} has no key "${d.key}"`,
    (d) => (d.cut ? 'within { … } a comma ends a text: put the text before it in quotes' : meant(d.key, d.known, 'keys')),
  ),
  'key-missing': error<{ key: string; of: string }>(
    'A key without which the artefact means nothing.',
    (d) => `${d.of} needs the key "${d.key}"`,
  ),
  'key-unfit': error<{ key: string; expected: string; found: string }>(
    'A key holds something other than what it takes.',
    (d) => `"${d.key}" takes ${d.expected}, not ${d.found}`,
  ),
  'type-unknown': error<{ name: string; known: readonly string[] }>(
    'A variable is declared with a type that does not exist.',
    (d) => `there is no type "${d.name}"`,
    (d) => meant(d.name, d.known, 'types'),
  ),
  'bounds-contradict': error<{ least: string; most: string }>(
    'A lower bound above the upper one lets nothing through.',
    (d) => `"${d.least}" is above "${d.most}"`,
  ),
  'default-unfit': error<{ name: string; why: string }>(
    'A default that its own declaration refuses.',
    (d) => `the default of "${d.name}" does not fit: ${d.why}`,
  ),
  'name-unfit': error<{ name: string }>(
    'The steps of an artefact’s path are names of the language.',
    (d) => `"${d.name}" is no name`,
    () => 'a name begins with a letter or _ and goes on with letters, digits, _ and -',
  ),
  'name-clash': error<{ name: string; what: string; other: string }>(
    'Two files claim one name.',
    (d) => `the ${d.what} "${d.name}" is written twice, here and in ${d.other}`,
    () => 'remove or rename one of them',
  ),
  'name-case-clash': error<{ name: string; other: string; what: string }>(
    'Names that differ only in case or composition are one file on some machines and two on others.',
    (d) => `the ${d.what}s "${d.name}" and "${d.other}" differ only in case`,
    () => 'rename one of them',
  ),
  'name-taken': error<{ name: string }>(
    '"persona", "examples" and "output" follow "use" with a meaning of their own.',
    (d) => `a snippet cannot be called "${d.name}"`,
    () => 'rename the file',
  ),
  'folder-unknown': warning<{ folder: string; known: readonly string[] }>(
    'A file in a folder that no kind of artefact lives in is not read.',
    (d) => `nothing is read from the folder "${d.folder}"`,
    (d) => meant(d.folder, d.known, 'folders'),
  ),
  'text-folded': error<object>(
    'A folded or plain scalar joins lines, so a directive line in it is none.',
    () => 'a directive line stands in a text that YAML joins to one line',
    () => 'write the text with | instead',
  ),
  'base-circle': error<{ circle: readonly string[] }>(
    'Prompts based on each other in a circle have no beginning.',
    (d) => `a circle: ${d.circle.join(' → ')}`,
  ),
  'bind-unknown': error<{ name: string; known: readonly string[] }>(
    '"bind" and "replace" speak of what the base has.',
    (d) => `the base has no "${d.name}"`,
    (d) => meant(d.name, d.known, 'it has'),
  ),
  'bind-unfit': error<{ name: string; why: string }>(
    'A bound text does not fit the variable.',
    (d) => `"${d.name}" cannot be bound: ${d.why}`,
  ),
  'base-turns': error<object>(
    'A prompt based on another takes its turns from there.',
    () => 'a prompt with "based-on" has no "turns" of its own',
    () => 'use replace: or add-turns:',
  ),
  'turn-key-misplaced': error<{ key: string; of: string; belongs: string }>(
    'A key of a turn that its kind of turn does not read.',
    (d) => `"${d.key}" does not go with "${d.of}"`,
    (d) => `it goes with ${d.belongs}`,
  ),
  'base-needs': error<{ name: string; base: string; dropped: boolean }>(
    'A prompt dropped or redeclared a variable, and a text of its base still needs what it was.',
    (d) =>
      d.dropped
        ? `a text of "${d.base}" needs "${d.name}", which this prompt leaves out`
        : `a text of "${d.base}" does not fit "${d.name}" as this prompt declares it`,
    (d) => (d.dropped ? 'replace that turn, or keep the variable' : 'replace that turn, or declare what it needs'),
  ),
  'attach-unfit': error<{ path: string; type: string }>(
    'Only files, and lists of files, can be attached.',
    (d) => `"${d.path}" cannot be attached: it is ${d.type}`,
    () => 'declare it as { type: file }, or write it into the text',
  ),
  'attach-missing': error<{ path: string; why: string }>(
    'A file of the library that a turn attaches is not there.',
    (d) => `"${d.path}" cannot be attached: ${d.why}`,
    () => 'paths are relative to the file that says them',
  ),
  'artefact-unused': info<{ what: string; name: string }>(
    'A snippet, persona, example set or output that no prompt draws on.',
    (d) => `no prompt draws on the ${d.what} "${d.name}"`,
    () => 'use it, or remove its file',
  ),
  'history-unfit': error<{ name: string; type: string }>(
    '"history" takes a variable of the type turns.',
    (d) => `"history" takes a variable of type turns, but "${d.name}" is ${d.type}`,
  ),
  'history-unfenced': error<{ name: string }>(
    'A history from outside needs a fence for its user turns.',
    (d) => `the history "${d.name}" comes from outside and has no fence`,
    (d) => `write history: { from: ${d.name}, fence: question }`,
  ),
  'path-outside': error<{ path: string }>('Paths never leave the library’s folder.', (d) => `"${d.path}" leaves the library's folder`),
  'started-answer-blank': warning<object>(
    'A started answer that ends in a blank makes models stumble.',
    () => 'this started answer ends in a blank',
    () => 'remove the blank',
  ),
  'case-unfit': error<{ number: number; field: string; why: string }>(
    'A case does not fit its set’s fields.',
    (d) => `case ${d.number}: "${d.field}" ${d.why}`,
  ),
  'case-unreadable': error<{ number: number; answer: string; output: string; why: string }>(
    'A case’s answer breaks the form that the prompt asks for.',
    (d) => `the answer of case ${d.number}, "${d.answer}", cannot be read by the output "${d.output}": ${d.why}`,
  ),
  'case-row-unfit': error<{ path: string; why: string }>(
    'A row of the table that a set takes its cases from does not fit the set’s fields.',
    (d) => `${d.path}: ${d.why}`,
  ),
  'cases-missing': error<{ path: string; why: string }>(
    'The table that a set takes its cases from cannot be read.',
    (d) => `no cases can be taken from "${d.path}": ${d.why}`,
  ),
  'pick-unfit': error<{ key: string; found: string; known: readonly string[] }>(
    'A way of picking or ordering that does not exist.',
    (d) => `"${d.key}" takes one of ${d.known.join(', ')}, not "${d.found}"`,
    (d) => nearest(d.found, d.known) && `did you mean "${defined(nearest(d.found, d.known))}"?`,
  ),
  'pick-without-record': error<{ by: string; set: string }>(
    'Likeness compares cases with the record that is asked about, and this prompt asks nothing.',
    (d) => `"${d.set}" picks by ${d.by}, but nothing says what its cases are likened to`,
    (d) => `add a turn "- ask: ${d.set}", or say to: "{…}"`,
  ),
  'budget-uncounted': error<{ set: string }>(
    'A budget in tokens needs somebody who counts them.',
    (d) => `"${d.set}" has a budget in tokens, and nothing counts tokens here`,
    () => 'openLibrary of @dunelight/node brings a counter; elsewhere hand one over: { countTokens }',
  ),
  'answer-form-unfit': error<{ set: string; output: string; field: string }>(
    'Cases are to be answered in the form of an output, and lack what it asks for.',
    (d) =>
      `the cases of "${d.set}" cannot be answered in the form of "${d.output}": they have no ${d.field === 'the label' ? 'field that is a choice' : `field "${d.field}"`}`,
    (d) =>
      d.field === 'document'
        ? 'this document differs from record to record: give each case the whole of it, in a field "document"'
        : 'give the cases that field, or write out their answer side in place of "output"',
  ),
  'answer-without-beginning': error<{ set: string }>(
    'An answer is to be begun as its layout begins, and the layout begins with a value.',
    (d) => `the answers of "${d.set}" have no fixed beginning`,
    (d) => `begin the answer layout of "${d.set}" with fixed text, such as "Grade: "`,
  ),
  'label-without-case': warning<{ label: string; field: string; count: number }>(
    'A label that an answer may have, but that no case shows, or only one where others have several.',
    (d) => (d.count === 0 ? `no case shows the ${d.field} "${d.label}"` : `only one case shows the ${d.field} "${d.label}"`),
    () => 'add a case or two of it',
  ),
  'labels-lopsided': warning<{ most: string; least: string; times: number }>(
    'Models lean to the answers that they have seen most.',
    (d) => `there are ${d.times} times as many cases of "${d.most}" as of "${d.least}"`,
    () => 'even them out, or pick with cover:',
  ),
  'cases-contradict': warning<{ one: number; other: number }>(
    'Two cases ask the same and answer differently.',
    (d) => `cases ${d.one} and ${d.other} ask the same and answer differently`,
    () => 'remove or mend one of them',
  ),
  'cases-alike': warning<{ one: number; other: number }>(
    'Two cases are the same but for a word: one of them teaches nothing.',
    (d) => `cases ${d.one} and ${d.other} are nearly the same`,
    () => 'remove one of them',
  ),
  'case-long': info<{ number: number; times: number }>(
    'A case that is far longer than the rest takes the room of several.',
    (d) => `case ${d.number} is ${d.times} times as long as most`,
  ),
  'answer-not-read-back': warning<{ number: number; answer: string }>(
    'What a case’s answer says cannot be told apart again by its layout.',
    (d) => `the answer of case ${d.number}, "${d.answer}", cannot be read back by its layout`,
    () => 'set its parts apart by a sign or a line that no value holds',
  ),
  'join-unequal': error<{ as: string }>(
    'A join says something else than which columns are equal: tables are joined by equality alone.',
    (d) => `the where of "${d.as}" does not say which of its columns is equal to which of the record`,
    (d) => `write where: item.code is ${d.as}.code, and keep: for other conditions`,
  ),
  'join-name-twice': error<{ name: string }>(
    'Two tables of a batch give their rows one name.',
    (d) => `two tables are called "${d.name}"`,
    () => 'give one of them another name by as:',
  ),
  'envelope-name-unknown': error<{ name: string; known: readonly string[] }>(
    'An envelope places something that a line does not have.',
    (d) => `an envelope has no "${d.name}" to place`,
    (d) => meant(d.name, d.known, 'things to place'),
  ),
  'setting-unfit': error<{ key: string; expected: string }>(
    'A known setting holds something that no model takes.',
    (d) => `the setting "${d.key}" takes ${d.expected}`,
  ),
  'setting-unknown': info<{ key: string; known: readonly string[] }>(
    'A setting that Dunelight does not know is handed on as it is.',
    (d) => `the setting "${d.key}" is handed on unchecked`,
    (d) => meant(d.key, d.known, 'known settings'),
  ),
  'secret-in-text': error<object>(
    'A text that has the shape of an access key: keys come from the environment, never from a library.',
    () => 'this looks like an access key',
    () => 'remove it, revoke it, and read it from the environment instead',
  ),
}
