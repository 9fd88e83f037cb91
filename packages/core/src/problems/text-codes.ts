import { error, warning } from './code.js'
import { meant } from './suggest.js'

/** A brace that was read as a slot's beginning, and how to write it as a plain sign in this place. */
export interface BraceHint {
  readonly escape: string
  readonly guess?: string | undefined
}

function literalBrace(brace: BraceHint | undefined): string | undefined {
  if (!brace) return undefined
  return brace.guess
    ? `if the expression ${brace.guess.replace(brace.escape, '{')} was meant, write ${brace.guess}`
    : `for a literal brace write ${brace.escape}`
}

export interface Named {
  readonly name: string
  readonly known: readonly string[]
  readonly brace?: BraceHint | undefined
}

/** Faults that reading a text finds. */
export const textCodes = {
  'slot-unreadable': error<{ expected: string; after: string; brace?: BraceHint }>(
    'A brace followed by a letter opens a slot; what follows could not be read as one.',
    (d) => `expected ${d.expected} after "${d.after}"`,
    (d) => literalBrace(d.brace),
  ),
  'directive-unknown': error<Named>(
    'A line that begins with "~", a blank and a letter is a directive; this one is none.',
    (d) => `there is no directive "${d.name}"`,
    (d) => [meant(d.name, d.known, 'directives'), 'for a literal line write \\~'].filter(Boolean).join('; '),
  ),
  'directive-unreadable': error<{ directive: string; expected: string; after: string }>(
    'A directive is known, but what follows its word could not be read.',
    (d) => `expected ${d.expected} after "${d.after}" in "${d.directive}"`,
  ),
  'end-missing': error<{ opener: string; form: string }>(
    'A block was opened and never ended.',
    (d) => `"${d.opener}" is never ended`,
    (d) => (d.form === 'line' ? 'add a line "~ end"' : 'add "{end}"'),
  ),
  'end-stray': error<object>(
    'An end without anything open.',
    () => 'this "end" ends nothing',
    () => 'remove it, or look for the opener that was lost',
  ),
  'end-wrong': error<{ says: string; open: string; line: number }>(
    'An end names another block than the one that is open.',
    (d) => `this ends "${d.says}", but "${d.open}" of line ${d.line} is open`,
  ),
  'forms-mixed': error<{ word: string; open: string; line: number }>(
    'A block opened in braces ends in braces; a block opened by a line ends by a line.',
    (d) => `"${d.word}" is not of the same form as "${d.open}" of line ${d.line}`,
    () => 'write both in braces, or both as lines',
  ),
  'branch-stray': error<{ word: string }>(
    '"otherwise" and "instead" belong into a block that has such branches.',
    (d) => `"${d.word}" stands in no block that takes it`,
  ),
  'branch-after-last': error<object>('Nothing can come after a plain "otherwise".', () => 'another branch after the last "otherwise"'),
  'line-form-only': error<{ word: string }>(
    '"untouched" takes whole lines and has no form in braces.',
    (d) => `"${d.word}" is a directive line and has no form in braces`,
    () => 'write "~ untouched" on a line of its own',
  ),
  'name-reserved': error<{ name: string }>(
    'Words of the language cannot name variables.',
    (d) => `"${d.name}" is a word of the language and cannot be a name here`,
    (d) => `choose another name, "${d.name}-text" for one`,
  ),
  'invisible-sign': error<{ sign: string }>(
    'Invisible and bidirectional signs in fixed text make a text read otherwise than it looks.',
    (d) => `an invisible sign ${d.sign} stands in the text`,
    (d) => `remove it, or allow it in this file: allow: [${d.sign}]`,
  ),
  'nesting-too-deep': error<{ limit: number }>(
    'Blocks, parentheses and snippets nest only so deep.',
    (d) => `nested more than ${d.limit} deep`,
  ),
  'escape-of-variable': warning<{ name: string }>(
    'A backslash before a brace makes it literal, and the name behind it is a declared variable.',
    (d) => `"\\{${d.name}" is literal, though "${d.name}" is a variable`,
    () => 'remove the backslash if its value was meant',
  ),
  'name-unknown': error<Named>(
    'A text uses a name that is neither declared nor the name of a loop.',
    (d) => `there is no variable "${d.name}"`,
    (d) => [meant(d.name, d.known, 'variables'), literalBrace(d.brace)].filter(Boolean).join('; ') || undefined,
  ),
  'field-unknown': error<Named & { of: string }>(
    'A path names a field that the record does not declare.',
    (d) => `"${d.of}" has no field "${d.name}"`,
    (d) => meant(d.name, d.known, 'fields'),
  ),
  'step-unfit': error<{ step: string; path: string; type: string }>(
    'A path goes on behind a value that has no parts.',
    (d) => `".${d.step}" cannot follow "${d.path}", which is ${d.type}`,
  ),
  'format-unknown': error<Named>(
    'A slot names a format that does not exist.',
    (d) => `there is no format "${d.name}"`,
    (d) => meant(d.name, d.known, 'formats'),
  ),
  'format-unfit': error<{ format: string; type: string; path: string; takes: string }>(
    'A format cannot write a value of this type.',
    (d) => `the format "${d.format}" cannot write "${d.path}", which is ${d.type}`,
    (d) => `it takes ${d.takes}`,
  ),
  'format-argument': error<{ format: string; expected: string }>(
    'A format is given arguments that it cannot use.',
    (d) => `the format "${d.format}" takes ${d.expected}`,
  ),
  'types-unlike': error<{ left: string; right: string; operator: string }>(
    'A comparison sets side by side what can never be equal or ordered.',
    (d) => `${d.left} and ${d.right} cannot be compared by "${d.operator}"`,
  ),
  'option-unknown': error<Named & { of: string }>(
    'A choice is compared with a text that is none of its options.',
    (d) => `"${d.name}" is no option of "${d.of}"`,
    (d) => meant(d.name, d.known, 'options'),
  ),
  'each-unfit': error<{ path: string; type: string }>(
    'Only lists, tables and records can be gone through.',
    (d) => `"each" cannot go through "${d.path}", which is ${d.type}`,
  ),
  'name-shadowed': warning<{ name: string }>(
    'A loop name hides a variable of the same name.',
    (d) => `"${d.name}" hides the variable "${d.name}" in this loop`,
  ),
  'variable-unused': warning<{ name: string }>(
    'A declared variable is written nowhere: its value would be handed over and lost.',
    (d) => `the variable "${d.name}" is used nowhere`,
    () => 'write it into a turn, or remove its declaration',
  ),
  'use-unknown': error<Named & { what: string }>(
    'A text uses an artefact that the library does not hold.',
    (d) => `there is no ${d.what} "${d.name}"`,
    (d) => meant(d.name, d.known, `${d.what}s`),
  ),
  'use-circle': error<{ circle: readonly string[] }>(
    'Artefacts that use each other in a circle could never be written.',
    (d) => `a circle: ${d.circle.join(' → ')}`,
  ),
  'use-too-deep': error<{ limit: number }>(
    'Snippets within snippets go only so deep.',
    (d) => `snippets are used more than ${d.limit} deep`,
  ),
  'use-too-often': error<{ limit: number }>(
    'Snippets that use snippets multiply; the whole prompt may hold only so many.',
    (d) => `more than ${d.limit} snippets are used, all told`,
  ),
  'use-name-unfit': error<{ path: string; type: string }>(
    'A slot in the name of a snippet must be a choice, so that every result can be checked.',
    (d) => `"${d.path}" in a snippet's name must be a choice, but is ${d.type}`,
  ),
  'use-nothing': error<{ what: string }>(
    'A prompt without a persona or an output cannot use one.',
    (d) => `this prompt has no ${d.what} to use`,
    (d) => `add the key "${d.what}:" to the prompt`,
  ),
  'with-unknown': error<Named & { of: string }>(
    'A value is handed to a snippet under a name that it does not declare.',
    (d) => `the snippet "${d.of}" has no variable "${d.name}"`,
    (d) => meant(d.name, d.known, 'variables'),
  ),
  'with-missing': error<{ name: string; of: string; why?: string | undefined }>(
    'A snippet needs a value that neither "with" nor the caller gives.',
    (d) => `the snippet "${d.of}" needs "${d.name}"${d.why ? `: ${d.why}` : ''}`,
    (d) => `write "with ${d.name} = …"`,
  ),
  'with-optional': error<{ name: string; of: string; path: string }>(
    'A value that may be missing is handed to a variable that needs one.',
    (d) => `"${d.path}" may be missing, but the snippet "${d.of}" needs "${d.name}"`,
    (d) => `write ${d.name} = ${d.path} or "…"`,
  ),
  'with-unfit': error<{ name: string; of: string; expected: string; found: string }>(
    'A value is handed to a snippet whose type the variable does not take.',
    (d) => `"${d.name}" of the snippet "${d.of}" takes ${d.expected}, not ${d.found}`,
  ),
  'outside-unfenced': error<{ path: string }>(
    'Text from outside may be written only within a fence, so that it cannot pass for the prompt.',
    (d) => `"${d.path}" comes from outside and is not fenced`,
    (d) => `write {${d.path} as fenced} on a line of its own`,
  ),
  'fence-not-alone': error<{ path: string }>(
    'A fence stands alone on its line; blanks and list or quote marks may stand before it.',
    (d) => `the fenced "${d.path}" does not stand alone on its line`,
    () => 'move it to a line of its own',
  ),
  'fence-tag-unfit': error<{ tag: string | undefined }>(
    'The tag of a fence is a name.',
    (d) =>
      d.tag === undefined
        ? 'this fence needs a tag, since its path ends in no name'
        : `"${d.tag}" is no name, so it cannot be a fence's tag`,
    () => 'write as fenced "report", for one',
  ),
  'fence-unknown': error<{ name: string; known: readonly string[] }>(
    'A text can name the tag of a fence that the prompt writes, as {fence.note} for {note as fenced}.',
    (d) => `the prompt writes no fence "${d.name}"`,
    (d) => meant(d.name, d.known, 'fences') ?? `write {${d.name} as fenced} where the value stands`,
  ),
  'fence-misplaced': error<{ where: string }>(
    '"fenced" is the last format of a slot, and only of a slot.',
    (d) => `"fenced" cannot stand ${d.where}`,
  ),
}
