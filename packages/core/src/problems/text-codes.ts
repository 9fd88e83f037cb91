import { error, info, warning } from './code.js'
import { nearest, suggestion } from './suggest.js'

/** A brace that was read as the start of a slot, and how to write a literal brace in this place. */
export interface BraceHint {
  readonly escape: string
  readonly guess?: string | undefined
}

function literalBrace(brace: BraceHint | undefined): string | undefined {
  if (!brace) return undefined
  return brace.guess
    ? `if you meant the expression ${brace.guess.replace(brace.escape, '{')}, write ${brace.guess}`
    : `for a literal brace write ${brace.escape}`
}

export interface Named {
  readonly name: string
  readonly known: readonly string[]
  readonly brace?: BraceHint | undefined
  /** Whether it stands behind an `or`, where a text in quotes may be meant. */
  readonly isFallback?: boolean
}

/** Problems in texts. */
export const textCodes = {
  'slot-unreadable': error<{
    expected: string
    after: string
    brace?: BraceHint | undefined
    /** A word after a format, which may be meant as its argument. */
    argument?: { readonly format: string; readonly word: string } | undefined
    /** A path and the word behind it as one name, which may be meant. */
    joined?: string | undefined
  }>(
    'A brace followed by a letter starts a slot; the rest of the slot cannot be parsed.',
    (d) => (d.argument ? `unexpected "${d.argument.word}" after "${d.after}"` : `expected ${d.expected} after "${d.after}"`),
    (d) => {
      if (d.argument) return `put it in quotes: as ${d.argument.format} "${d.argument.word}"`
      const likely =
        d.joined !== undefined
          ? `a name has no spaces: ${d.joined}`
          : d.expected.startsWith('"}"') && !d.brace?.guess
            ? 'end the slot with }'
            : ''
      return [likely, literalBrace(d.brace)].filter(Boolean).join('; ')
    },
  ),
  'directive-unknown': error<Named>(
    'A line that starts with "~", a space and a letter is a directive. This one is unknown.',
    (d) => `unknown directive "${d.name}"`,
    (d) => [suggestion(d.name, d.known, 'directives'), 'for a literal line write \\~'].filter(Boolean).join('; '),
  ),
  'foreign-word': error<{ written: string; meant: string }>(
    'A word or a mark that other languages have stands where this one has its own. It is read as meant, and has to be corrected.',
    (d) => `"${d.written}" is not part of this language`,
    (d) => `write ${d.meant}`,
  ),
  'directive-tight': warning<{ written: string; meant: string }>(
    'A line begins like a directive, but without the space behind the ~: it is text.',
    (d) => `"${d.written}" is text here: a directive has a space behind the ~`,
    (d) => `write ${d.meant}; if the text is meant, \\${d.written}`,
  ),
  'directive-unreadable': error<{ directive: string; expected: string; after: string }>(
    'The rest of a directive cannot be parsed.',
    (d) => `expected ${d.expected} after "${d.after}" in "${d.directive}"`,
    (d) => (d.expected === 'a closing "' ? 'end the text with a quote' : undefined),
  ),
  'end-missing': error<{ opener: string; form: string }>(
    'A block has no end.',
    (d) => `"${d.opener}" has no end`,
    (d) => (d.form === 'line' ? 'add a line "~ end"' : 'add "{end}"'),
  ),
  'end-stray': error<object>(
    'An "end" without an open block.',
    () => 'there is no open block to end',
    () => 'remove it, or restore the start of the block',
  ),
  'end-wrong': error<{ detail: string; open: string; line: number }>(
    'An "end" names a block other than the open one.',
    (d) => `this ends "${d.detail}", but "${d.open}" in line ${d.line} is open`,
  ),
  'forms-mixed': error<{ word: string; open: string; line: number }>(
    'A block that starts in braces ends in braces; a block that starts with a line ends with a line.',
    (d) => `"${d.word}" does not have the same form as "${d.open}" in line ${d.line}`,
    () => 'write both in braces, or both as lines',
  ),
  'branch-stray': error<{ word: string }>(
    '"otherwise" and "instead" must be inside a block that has such branches.',
    (d) => `"${d.word}" is not inside a block that allows it`,
  ),
  'branch-after-last': error<object>('A plain "otherwise" must be the last branch.', () => 'another branch after the last "otherwise"'),
  'line-form-only': error<{ word: string }>(
    '"untouched" applies to whole lines and has no form in braces.',
    (d) => `"${d.word}" cannot be written in braces`,
    () => 'write "~ untouched" on a line of its own',
  ),
  'name-reserved': error<{ name: string }>(
    'A word of the language cannot be the name of a variable.',
    (d) => `"${d.name}" is a reserved word`,
    (d) => `choose another name, for example "${d.name}-text"`,
  ),
  'invisible-character': error<{ character: string }>(
    'Invisible and bidirectional characters make a text read differently from how it looks.',
    (d) => `the text contains an invisible character, ${d.character}`,
    (d) => `remove it, or allow it in this file: allow: [${d.character}]`,
  ),
  'nesting-too-deep': error<{ limit: number }>(
    'Blocks, parentheses and snippets are nested too deep.',
    (d) => `nested more than ${d.limit} deep`,
  ),
  'escape-of-variable': warning<{ name: string }>(
    'A backslash makes a brace literal, but the name after it is a variable.',
    (d) => `"\\{${d.name}" is literal, but "${d.name}" is a variable`,
    () => 'remove the backslash to insert the value',
  ),
  'name-unknown': error<Named>(
    'A text uses a name that is neither a variable nor a loop name.',
    (d) => `unknown variable "${d.name}"`,
    (d) =>
      d.isFallback && nearest(d.name, d.known) === undefined
        ? `put the text in quotes: or "${d.name}"`
        : [suggestion(d.name, d.known, 'variables'), literalBrace(d.brace)].filter(Boolean).join('; ') || undefined,
  ),
  'field-unknown': error<Named & { of: string }>(
    'A path names a field that the record does not declare.',
    (d) => `unknown field "${d.name}" of "${d.of}"`,
    (d) => suggestion(d.name, d.known, 'fields'),
  ),
  'step-invalid': error<{ step: string; path: string; type: string }>(
    'A path continues after a value that has no parts.',
    (d) => `".${d.step}" cannot follow "${d.path}", which is ${d.type}`,
  ),
  'format-unknown': error<Named>(
    'A slot names an unknown format.',
    (d) => `unknown format "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'formats'),
  ),
  'format-invalid': error<{ format: string; type: string; path: string; takes: string }>(
    'A format cannot write a value of this type.',
    (d) => `the format "${d.format}" cannot write "${d.path}", which is ${d.type}`,
    (d) => `it takes ${d.takes}`,
  ),
  'format-argument': error<{ format: string; expected: string }>(
    'A format has wrong arguments.',
    (d) => `the format "${d.format}" takes ${d.expected}`,
  ),
  'types-incompatible': error<{ left: string; right: string; operator: string }>(
    'A comparison of types that can never be equal or ordered.',
    (d) => `"${d.operator}" cannot compare ${d.left} and ${d.right}`,
    () => 'compare what has the same type: texts are in quotes, numbers are not',
  ),
  'option-unknown': error<Named & { of: string }>(
    'A choice is compared with a text that is not one of its options.',
    (d) => `"${d.name}" is not an option of "${d.of}"`,
    (d) => suggestion(d.name, d.known, 'options'),
  ),
  'each-invalid': error<{ path: string; type: string }>(
    '"each" repeats for the items of a list, table or record.',
    (d) => `"each" cannot repeat for "${d.path}", which is ${d.type}`,
  ),
  'name-shadowed': warning<{ name: string }>(
    'A loop name hides a variable of the same name.',
    (d) => `"${d.name}" hides the variable "${d.name}" in this loop`,
  ),
  'only-mentioned': info<{ path: string; words: string }>(
    'A text mentions a field of the record, and no text inserts it. The model does not see its value.',
    (d) => `the text mentions "${d.words}", but "${d.path}" is never inserted`,
    (d) => `insert it with {${d.path}}, or list it: only-mentioned: [${d.path}]`,
  ),
  'foreign-slot': warning<{ written: string; path: string }>(
    'A text names a declared value in brackets or marks that this language does not have. They are plain text here.',
    (d) => `the brackets or marks of "${d.written}" stay in the text`,
    (d) => `write {${d.path}}`,
  ),
  'variable-unused': warning<{ name: string }>(
    'A declared variable is never used, so its value would be lost.',
    (d) => `the variable "${d.name}" is never used`,
    () => 'use it in a turn, or remove its declaration',
  ),
  'default-hides': info<{ name: string; of: string; what?: string | undefined }>(
    'A variable of a snippet has a default, so that the variable of the same name around it is not taken.',
    (d) => `the ${d.what ?? 'snippet'} "${d.of}" takes its default for "${d.name}", not the "${d.name}" here`,
    (d) => `write: with ${d.name} = ${d.name}`,
  ),
  'use-unknown': error<Named & { what: string }>(
    'A text uses something that the library does not contain.',
    (d) => `unknown ${d.what} "${d.name}"`,
    (d) => suggestion(d.name, d.known, `${d.what}s`) ?? `the library has no ${d.what}`,
  ),
  'use-cycle': error<{ circle: readonly string[] }>('Artefacts use each other in a cycle.', (d) => `cyclic "use": ${d.circle.join(' → ')}`),
  'use-too-deep': error<{ limit: number }>('Snippets are nested too deep.', (d) => `snippets are nested more than ${d.limit} deep`),
  'use-too-often': error<{ limit: number }>(
    'Snippets that use snippets multiply, so their number in a prompt is limited.',
    (d) => `the prompt uses more than ${d.limit} snippets in total`,
  ),
  'use-name-invalid': error<{ path: string; type: string }>(
    'A slot in the name of a snippet must be a choice, so that every result can be checked.',
    (d) => `"${d.path}" in a snippet's name must be a choice, but is ${d.type}`,
  ),
  'use-nothing': error<{ what: string }>(
    'A prompt uses its persona or output, but has none.',
    (d) => `this prompt has no ${d.what} to use`,
    (d) => `add the key "${d.what}:" to the prompt`,
  ),
  'with-unknown': error<Named & { of: string; what?: string | undefined }>(
    '"with" names a variable that the snippet, or the prompt of a part, does not declare.',
    (d) => `the ${d.what ?? 'snippet'} "${d.of}" has no variable "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'variables'),
  ),
  'with-missing': error<{ name: string; of: string; why?: string | undefined; what?: string | undefined }>(
    'A snippet, or the prompt of a part, needs a value that neither "with" nor the place of its use has.',
    (d) => `the ${d.what ?? 'snippet'} "${d.of}" needs "${d.name}"${d.why ? `: ${d.why}` : ''}`,
    (d) => (d.what ? `write with: { ${d.name}: … }` : `write "with ${d.name} = …"`),
  ),
  'with-optional': error<{ name: string; of: string; path: string; what?: string | undefined }>(
    'An optional value is passed to a required variable.',
    (d) => `"${d.path}" is optional, but the ${d.what ?? 'snippet'} "${d.of}" requires "${d.name}"`,
    (d) => (d.what ? `write ${d.name}: ${d.path} or "…"` : `write ${d.name} = ${d.path} or "…"`),
  ),
  'with-invalid': error<{ name: string; of: string; expected: string; found: string; what?: string | undefined }>(
    'A value is passed to a variable of another type.',
    (d) => `"${d.name}" of the ${d.what ?? 'snippet'} "${d.of}" takes ${d.expected}, not ${d.found}`,
  ),
  'untrusted-unfenced': error<{ path: string }>(
    'Untrusted text may only be inserted in a fence, so that it cannot be read as part of the prompt.',
    (d) => `"${d.path}" is untrusted and not fenced`,
    (d) => `write {${d.path} as fenced} on a line of its own`,
  ),
  'fence-not-alone': error<{ path: string }>(
    'A fence needs its own line. Only spaces and list or quote markers may come before it.',
    (d) => `the fenced "${d.path}" is not alone on its line`,
    () => 'move it to a line of its own',
  ),
  'fence-tag-invalid': error<{ tag: string | undefined }>(
    'The tag of a fence must be a name.',
    (d) =>
      d.tag === undefined
        ? 'this fence needs a tag, because its path does not end in a name'
        : `"${d.tag}" is not a valid name for a fence's tag`,
    () => 'for example: as fenced "report"',
  ),
  'fence-unknown': error<{ name: string; known: readonly string[] }>(
    'A text can name the tag of a fence in the same prompt, as {fence.note} for {note as fenced}.',
    (d) => `the prompt has no fence "${d.name}"`,
    (d) => suggestion(d.name, d.known, 'fences') ?? `write {${d.name} as fenced} where the value is inserted`,
  ),
  'fence-misplaced': error<{ where: string }>('"fenced" must be the last format of a slot.', (d) => `"fenced" cannot be used ${d.where}`),
}
