import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname } from 'node:path'
import { expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'
import { useHouse } from '../../../test/house.js'

const house = useHouse()

/** A problem as `check --json` prints it. */
interface Printed {
  readonly file?: string
  readonly line: number
  readonly column: number
  readonly severity: string
  readonly message: string
  readonly code: string
  readonly hint?: string | null
}

/** A change of a file: what is replaced and by what, or a whole file. */
type Change = readonly [path: string, old: string, now: string] | readonly [path: string, now: string]

/** The library that `dunelight new` makes, with one mistake each: the one problem that `check` tells, and its help. */
const MISTAKES: readonly (readonly [title: string, changes: readonly Change[], problem: string, help: string])[] = [
  [
    'misspelt field',
    [['prompts/describe.yaml', '{item.title}', '{item.titel}']],
    'prompts/describe.yaml:23:32 error: unknown field "titel" of "item" [field-unknown]',
    'did you mean "title"?',
  ],
  [
    'misspelt variable',
    [['prompts/describe.yaml', '{item.number}', '{itm.number}']],
    'prompts/describe.yaml:23:41 error: unknown variable "itm" [name-unknown]',
    'did you mean "item"?',
  ],
  [
    'misspelt format',
    [['prompts/describe.yaml', 'as sentence-list', 'as sentense-list']],
    'prompts/describe.yaml:24:106 error: unknown format "sentense-list" [format-unknown]',
    'did you mean "sentence-list"?',
  ],
  [
    'misspelt snippet',
    [['prompts/describe.yaml', '~ use style', '~ use stlye']],
    'prompts/describe.yaml:19:13 error: unknown snippet "stlye" [use-unknown]',
    'did you mean "style"?',
  ],
  [
    'misspelt snippet variable',
    [['prompts/describe.yaml', 'with reader = reader', 'with raeder = reader']],
    'prompts/describe.yaml:19:24 error: the snippet "style" has no variable "raeder" [with-unknown]',
    'did you mean "reader"?',
  ],
  [
    'misspelt persona',
    [['prompts/describe.yaml', 'persona: curator', 'persona: curater']],
    'prompts/describe.yaml:14:10 error: unknown persona "curater" [use-unknown]',
    'did you mean "curator"?',
  ],
  [
    'misspelt output',
    [['prompts/describe.yaml', 'output: card', 'output: crad']],
    'prompts/describe.yaml:27:9 error: unknown output "crad" [use-unknown]',
    'did you mean "card"?',
  ],
  [
    'misspelt example set',
    [['prompts/sort.yaml', '- examples: sorted-notes', '- examples: sorted-note']],
    'prompts/sort.yaml:14:15 error: unknown example set "sorted-note" [use-unknown]',
    'did you mean "sorted-notes"?',
  ],
  [
    'misspelt set of input',
    [['prompts/sort.yaml', '- input: sorted-notes', '- input: sorted-noets']],
    'prompts/sort.yaml:15:12 error: unknown example set "sorted-noets" [use-unknown]',
    'did you mean "sorted-notes"?',
  ],
  [
    'misspelt with',
    [['prompts/sort.yaml', 'with: { note:', 'with: { noet:']],
    'prompts/sort.yaml:16:13 error: the snippet "sorted-notes" has no variable "noet" [with-unknown]',
    'did you mean "note"?',
  ],
  [
    'missing end',
    [['snippets/style.yaml', '  ~ end\n', '']],
    'snippets/style.yaml:6:3 error: "~ when reader is "child"" has no end [end-missing]',
    'add a line "~ end"',
  ],
  [
    'else',
    [['snippets/style.yaml', '~ otherwise', '~ else']],
    'snippets/style.yaml:8:5 error: "else" is not part of this language [foreign-word]',
    'write otherwise',
  ],
  [
    'if',
    [['snippets/style.yaml', '~ when reader', '~ if reader']],
    'snippets/style.yaml:6:5 error: "if" is not part of this language [foreign-word]',
    'write when … otherwise … end',
  ],
  [
    'for',
    [
      [
        'prompts/describe.yaml',
        '{item.note as fenced "note"}',
        '~ for m in item.materials\n      - {m}\n      ~ end\n      {item.note as fenced "note"}',
      ],
    ],
    'prompts/describe.yaml:26:9 error: "for" is not part of this language [foreign-word]',
    'write each … end',
  ],
  [
    'endif',
    [['snippets/style.yaml', '~ end', '~ endif']],
    'snippets/style.yaml:10:5 error: "endif" is not part of this language [foreign-word]',
    'write end',
  ],
  [
    '==',
    [['snippets/style.yaml', 'reader is "child"', 'reader == "child"']],
    'snippets/style.yaml:6:17 error: "==" is not part of this language [foreign-word]',
    'write is',
  ],
  [
    '=',
    [['snippets/style.yaml', 'reader is "child"', 'reader = "child"']],
    'snippets/style.yaml:6:17 error: "=" is not part of this language [foreign-word]',
    'write is',
  ],
  [
    '!=',
    [['snippets/style.yaml', 'reader is "child"', 'reader != "adult"']],
    'snippets/style.yaml:6:17 error: "!=" is not part of this language [foreign-word]',
    'write is not',
  ],
  [
    '&&',
    [['snippets/style.yaml', 'reader is "child"', 'reader is "child" && reader is "adult"']],
    'snippets/style.yaml:6:28 error: "&&" is not part of this language [foreign-word]',
    'write and',
  ],
  [
    '||',
    [['snippets/style.yaml', 'reader is "child"', 'reader is "child" || reader is "adult"']],
    'snippets/style.yaml:6:28 error: "||" is not part of this language [foreign-word]',
    'write or',
  ],
  [
    'pipe',
    [['prompts/describe.yaml', 'as sentence-list', '| sentence-list']],
    'prompts/describe.yaml:24:103 error: "|" is not part of this language [foreign-word]',
    'write as',
  ],
  [
    'or after as',
    [['prompts/describe.yaml', '{item.title}', '{item.made as number or "unknown"}']],
    'prompts/describe.yaml:23:47 error: "or" is not part of this language [foreign-word]',
    'write "or" and what follows it before "as"',
  ],
  [
    'bare word behind or',
    [['prompts/describe.yaml', '{when item.made}in {item.made}{otherwise}at an unknown date{end}', '{item.made or unknown}']],
    'prompts/describe.yaml:24:33 error: unknown variable "unknown" [name-unknown]',
    'put the text in quotes: or "unknown"',
  ],
  [
    'double braces',
    [['prompts/describe.yaml', '{item.title}', '{{item.title}}']],
    'prompts/describe.yaml:23:26 warning: the brackets or marks of "{{item.title}}" stay in the text [foreign-slot]',
    'write {item.title}',
  ],
  [
    'count from 0',
    [['prompts/describe.yaml', '{item.materials as sentence-list}', '{item.materials.0}']],
    'prompts/describe.yaml:24:102 error: ".0" is not part of this language [foreign-word]',
    'write .1: items are counted from 1',
  ],
  [
    'directive without space',
    [['snippets/style.yaml', '~ when', '~when']],
    'snippets/style.yaml:6:3 error: "~when" is not part of this language [foreign-word]',
    'write ~ when',
  ],
  [
    'unquoted fence name',
    [['prompts/describe.yaml', 'as fenced "note"', 'as fenced note']],
    'prompts/describe.yaml:26:7 error: unexpected "note" after "item.note as fenced" [slot-unreadable]',
    'put it in quotes: as fenced "note"',
  ],
  [
    'value not of the choice',
    [['snippets/style.yaml', 'reader is "child"', 'reader is "kid"']],
    'snippets/style.yaml:6:20 error: "kid" is not an option of "reader" [option-unknown]',
    'options: child, adult',
  ],
  [
    'unclosed slot',
    [['prompts/describe.yaml', '({item.number})', '({item.number)']],
    'prompts/describe.yaml:23:40 error: expected "}", "as" or "or" after "item.number" [slot-unreadable]',
    'end the slot with }; for a literal brace write \\{',
  ],
  [
    'unclosed quote',
    [['snippets/style.yaml', '"child"', '"child']],
    'snippets/style.yaml:6:26 error: expected a closing " after "when reader is "child" in "when" [directive-unreadable]',
    'end the text with a quote',
  ],
  [
    'type int',
    [['prompts/describe.yaml', 'type: integer', 'type: int']],
    'prompts/describe.yaml:10:21 error: "int" is not part of this language [foreign-word]',
    'write integer',
  ],
  [
    'type string',
    [['prompts/describe.yaml', 'number: { type: text,', 'number: { type: string,']],
    'prompts/describe.yaml:8:23 error: "string" is not part of this language [foreign-word]',
    'write text',
  ],
  [
    'type str',
    [['prompts/describe.yaml', 'title: text', 'title: str']],
    'prompts/describe.yaml:9:14 error: "str" is not part of this language [foreign-word]',
    'write text',
  ],
  [
    'type bool',
    [['prompts/describe.yaml', 'title: text', 'title: bool']],
    'prompts/describe.yaml:9:14 error: "bool" is not part of this language [foreign-word]',
    'write boolean',
  ],
  [
    'type array',
    [['prompts/describe.yaml', 'materials: list of text', 'materials: array']],
    'prompts/describe.yaml:11:18 error: "array" is not part of this language [foreign-word]',
    'write list of text',
  ],
  [
    'type text[]',
    [['prompts/describe.yaml', 'materials: list of text', 'materials: text[]']],
    'prompts/describe.yaml:11:18 error: "text[]" is not part of this language [foreign-word]',
    'write list of text',
  ],
  [
    'type enum',
    [
      [
        'prompts/describe.yaml',
        '{ type: choice, of: [adult, child], default: adult }',
        '{ type: enum, of: [adult, child], default: adult }',
      ],
    ],
    'prompts/describe.yaml:13:19 error: "enum" is not part of this language [foreign-word]',
    'write choice',
  ],
  [
    'values of a choice',
    [['prompts/describe.yaml', 'of: [adult, child]', 'values: [adult, child]']],
    'prompts/describe.yaml:13:27 error: "values:" is not part of this language [foreign-word]',
    'write of:',
  ],
  [
    'enum of a choice',
    [['prompts/describe.yaml', 'of: [adult, child]', 'enum: [adult, child]']],
    'prompts/describe.yaml:13:27 error: "enum:" is not part of this language [foreign-word]',
    'write of:',
  ],
  [
    'default not of choice',
    [['prompts/describe.yaml', 'default: adult', 'default: adlut']],
    'prompts/describe.yaml:13:56 error: invalid default for "reader": "reader" must be one of adult, child, not "adlut" [default-invalid]',
    'did you mean "adult"?',
  ],
  [
    'max-words on a number',
    [['prompts/describe.yaml', 'made: { type: integer,', 'made: { type: integer, max-words: 3,']],
    'prompts/describe.yaml:10:30 error: "max-words" does not apply to an integer [key-inapplicable]',
    'an integer takes max',
  ],
  [
    'pattern on a date',
    [['prompts/describe.yaml', 'title: text', 'title: { type: date, pattern: "x" }']],
    'prompts/describe.yaml:9:28 error: "pattern" does not apply to a date [key-inapplicable]',
    'a date takes min, max, reads',
  ],
  [
    'min-items on a text',
    [['prompts/describe.yaml', 'title: text', 'title: { type: text, min-items: 2 }']],
    'prompts/describe.yaml:9:28 error: "min-items" does not apply to text [key-inapplicable]',
    'text takes min-length, min-words',
  ],
  [
    'min above max',
    [['prompts/describe.yaml', 'made: { type: integer,', 'made: { type: integer, min: 30, max: 20,']],
    'prompts/describe.yaml:10:30 error: "min: 30" is above "max: 20" [bounds-contradict]',
    'exchange them',
  ],
  [
    'space in a name',
    [['prompts/describe.yaml', '      number: { type: text,', '      object number: { type: text,']],
    'prompts/describe.yaml:23:46 error: unknown field "number" of "item" [field-unknown]',
    'fields: note, title, made and 2 more',
  ],
  [
    'variable with a space',
    [['prompts/describe.yaml', '  reader: { type', '  reader kind: text\n  reader: { type']],
    'prompts/describe.yaml:13:3 error: "reader kind" is not a valid name [name-invalid]',
    'write reader-kind',
  ],
  [
    'upper case in a name',
    [['prompts/describe.yaml', '      title: text', '      Title: text']],
    'prompts/describe.yaml:23:32 error: unknown field "title" of "item" [field-unknown]',
    'did you mean "Title"?',
  ],
  [
    'unknown key of a variable',
    [['prompts/describe.yaml', 'optional: true', 'optionnal: true']],
    'prompts/describe.yaml:10:30 error: unknown key "optionnal" of a field [key-unknown]',
    'did you mean "optional"?',
  ],
  [
    'unused variable',
    [['prompts/describe.yaml', '  reader: { type', '  spare: { type: text, optional: true }\n  reader: { type']],
    'prompts/describe.yaml:13:3 warning: the variable "spare" is never used [variable-unused]',
    'use it in a turn, or remove its declaration',
  ],
  [
    'choice without of',
    [['prompts/describe.yaml', '{ type: choice, of: [adult, child], default: adult }', '{ type: choice, default: adult }']],
    'prompts/describe.yaml:13:19 error: a choice needs the key "of" [key-missing]',
    'write of: [first, second]',
  ],
  [
    'misspelt key',
    [['prompts/describe.yaml', 'persona: curator', 'persna: curator']],
    'prompts/describe.yaml:14:1 error: unknown key "persna" of a prompt [key-unknown]',
    'did you mean "persona"?',
  ],
  [
    'misspelt turns',
    [['prompts/describe.yaml', 'turns:', 'turn:']],
    'prompts/describe.yaml:15:1 error: unknown key "turn" of a prompt [key-unknown]',
    'did you mean "turns"?',
  ],
  [
    'role and content',
    [['prompts/sort.yaml', '  - examples: sorted-notes', '  - { role: user, content: "Sort." }\n  - examples: sorted-notes']],
    'prompts/sort.yaml:14:5 error: "role: and content:" is not part of this language [foreign-word]',
    'write user: and the text',
  ],
  [
    'a tab',
    [['prompts/describe.yaml', '  item:\n', '\titem:\n']],
    'prompts/describe.yaml:4:1 error: invalid YAML: a tab in the indentation [yaml-invalid]',
    'indent with spaces',
  ],
  [
    'colon in title',
    [['prompts/describe.yaml', 'title: Describe an object', 'title: Describe: an object']],
    'prompts/describe.yaml:1:8 error: invalid YAML: a colon with a space behind it begins a value [yaml-invalid]',
    'put the text in quotes: title: "Describe: an object"',
  ],
  [
    'missing colon',
    [['prompts/describe.yaml', 'output: card', 'output card']],
    'prompts/describe.yaml:27:1 error: invalid YAML: a key has no colon behind it [yaml-invalid]',
    'write output: card',
  ],
  [
    'wrong indent',
    [['prompts/describe.yaml', '      number: {', '     number: {']],
    'prompts/describe.yaml:9:1 error: invalid YAML: the line is not indented like its neighbours [yaml-invalid]',
    'give all keys of one map the same indentation',
  ],
  [
    'duplicate key',
    [['prompts/describe.yaml', 'output: card', 'output: card\noutput: card']],
    'prompts/describe.yaml:28:1 error: invalid YAML: the key "output" is there twice, first in line 27 [yaml-invalid]',
    'remove one of them',
  ],
  [
    'unquoted slot',
    [['prompts/describe.yaml', '  - user: |\n      Write the card for', '  - user: {item.title}\n  - user: |\n      Write the card for']],
    'prompts/describe.yaml:22:11 error: "user" must be a text, not keys with values [key-invalid]',
    'put the text in quotes, or write it on lines of its own after |',
  ],
  [
    'hash cuts a text',
    [['personas/curator.yaml', 'who: You are the curator of a small museum by the sea.', 'who: You are curator #1 of a small museum.']],
    'personas/curator.yaml:2:22 warning: the # cuts the text: what follows is a comment [text-cut]',
    'put the text in quotes; for a comment, leave a space behind the #',
  ],
  [
    'missing bar',
    [['snippets/style.yaml', 'text: |\n', 'text:\n']],
    'snippets/style.yaml:5:3 error: invalid YAML: a text of several lines begins with | [yaml-invalid]',
    'write | behind its key',
  ],
  ['empty file', [['snippets/style.yaml', '']], 'snippets/style.yaml:1:1 error: invalid YAML: the file has no keys [yaml-invalid]', ''],
  [
    'unclosed bracket',
    [['personas/curator.yaml', 'voice: [plain, exact]', 'voice: [plain, exact']],
    'personas/curator.yaml:3:8 error: invalid YAML: a bracket is not closed [yaml-invalid]',
    'close it: [ with ], { with }',
  ],
  [
    'yml ending',
    [['snippets/other.yml', 'text: Hello.\n']],
    ' error: cannot read snippets/other.yml: library files end in .yaml; rename it [file-unreadable]',
    '',
  ],
  [
    'misspelt kind',
    [['outputs/card.yaml', 'kind: fields', 'kind: feilds']],
    'outputs/card.yaml:2:7 error: "kind" must be one of fields, one-of, rows, document, not "feilds" [key-invalid]',
    'did you mean "fields"?',
  ],
  [
    'bound on the wrong type in output',
    [['outputs/card.yaml', '{ type: text, max-words: 6,', '{ type: text, max-items: 6,']],
    'outputs/card.yaml:4:26 error: "max-items" does not apply to text [key-inapplicable]',
    'text takes max-length, max-words',
  ],
  [
    'field of examples misspelt',
    [['outputs/urgency.yaml', 'field: urgency', 'field: urgensy']],
    'outputs/urgency.yaml:3:14 error: unknown field "urgensy" of "sorted-notes" [field-unknown]',
    'did you mean "urgency"?',
  ],
  [
    'set of examples misspelt',
    [['outputs/urgency.yaml', 'examples: sorted-notes', 'examples: sorted-note']],
    'outputs/urgency.yaml:3:33 error: unknown example set "sorted-note" [use-unknown]',
    'did you mean "sorted-notes"?',
  ],
  [
    'show misspelt',
    [['outputs/card.yaml', 'kind: fields', 'kind: fields\nshow: skelton']],
    'outputs/card.yaml:3:7 error: "show" must be one of skeleton, description, json-schema, none, not "skelton" [key-invalid]',
    'did you mean "skeleton"?',
  ],
  [
    'table of cases missing',
    [['examples/sorted-notes.yaml', 'sorted-notes.csv', 'sorted-nots.csv']],
    'examples/sorted-notes.yaml:9:7 error: cannot read cases from "data/sorted-nots.csv": no such file or folder [cases-missing]',
    'the path is relative to the folder of the set’s own file',
  ],
  [
    'label in the table misspelt',
    [['data/sorted-notes.csv', '"Mould on the back, soft and green.",repair', '"Mould on the back, soft and green.",repiar']],
    'examples/sorted-notes.yaml:9:7 error: data/sorted-notes.csv: row 11, column "urgency": "repiar" is not one of fine, watch, repair [case-row-invalid]',
    'did you mean "repair"?',
  ],
  [
    'heading of cases misspelt',
    [['data/sorted-notes.csv', 'note,urgency', 'note,urgensy']],
    'examples/sorted-notes.yaml:9:7 error: data/sorted-notes.csv: no column for "urgency" [case-row-invalid]',
    'did you mean "urgensy"?',
  ],
  [
    'pick misspelt',
    [['examples/sorted-notes.yaml', 'by: likeness', 'by: liking']],
    'examples/sorted-notes.yaml:10:13 error: "by" must be one of all, first, seeded, likeness, spread, not "liking" [pick-invalid]',
    '',
  ],
  [
    'cover misspelt',
    [['examples/sorted-notes.yaml', 'cover: urgency', 'cover: urgensy']],
    'examples/sorted-notes.yaml:10:42 error: unknown field "urgensy" of "the fields" [field-unknown]',
    'did you mean "urgency"?',
  ],
  [
    'expected slot misspelt',
    [['examples/sorted-notes.yaml', '  {urgency}', '  {urgensy}']],
    'examples/sorted-notes.yaml:8:4 error: unknown variable "urgensy" [name-unknown]',
    'did you mean "urgency"?',
  ],
  [
    'prompt of batch misspelt',
    [['batches/cards.yaml', 'prompt: describe', 'prompt: descibe']],
    'batches/cards.yaml:2:9 error: unknown prompt "descibe" [use-unknown]',
    'did you mean "describe"?',
  ],
  [
    'table of batch missing',
    [['batches/cards.yaml', '../data/objects.csv', '../data/objcts.csv']],
    'batches/cards.yaml:3:18 error: cannot read data/objcts.csv: no such file or folder [file-unreadable]',
    'did you mean data/objects.csv?',
  ],
  [
    'as misspelt',
    [['batches/cards.yaml', 'as: item', 'as: itm']],
    'batches/cards.yaml:3:18 error: the prompt has no record "itm" [record-undeclared]',
    'did you mean "item"?',
  ],
  [
    'name slot misspelt',
    [['batches/cards.yaml', '"{item.number}"', '"{item.nubmer}"']],
    'batches/cards.yaml:4:14 error: unknown field "nubmer" of "item" [field-unknown]',
    'did you mean "number"?',
  ],
  [
    'keep misspelt',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'keep: item.mad > 1900\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:12 error: unknown field "mad" of "item" [field-unknown]',
    'did you mean "made"?',
  ],
  [
    'keep value',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'keep: item.made > "1900"\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:7 error: ">" cannot compare "item.made" (an integer) and the text "1900" [types-incompatible]',
    'compare what has the same type: texts are in quotes, numbers are not',
  ],
  [
    'columns key misspelt',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'columns: { item.titel: title }\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:12 error: unknown field "titel" of "item" [field-unknown]',
    'did you mean "title"?',
  ],
  [
    'columns value misspelt',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'columns: { item.title: titel }\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:12 error: unknown column "titel" for "title" [column-unknown]',
    'did you mean "title"?',
  ],
  [
    'set name misspelt',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'set: { raeder: child }\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:8 error: the prompt has no variable "raeder" [value-undeclared]',
    'did you mean "reader"?',
  ],
  [
    'set value',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'set: { reader: kid }\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:8 error: invalid value for "reader": "reader" must be one of adult, child, not "kid" [set-invalid]',
    '',
  ],
  [
    'join table missing',
    [
      [
        'batches/cards.yaml',
        'to: ../out/cards.jsonl',
        'join: [{ from: ../data/rooms.csv, as: room, where: room.code is item.number }]\nto: ../out/cards.jsonl',
      ],
    ],
    'batches/cards.yaml:5:16 error: cannot read data/rooms.csv: no such file or folder [file-unreadable]',
    '',
  ],
  [
    'join condition misspelt',
    [
      [
        'batches/cards.yaml',
        'to: ../out/cards.jsonl',
        'join: [{ from: ../data/sorted-notes.csv, as: room, where: room.noet is item.note }]\nto: ../out/cards.jsonl',
      ],
    ],
    'batches/cards.yaml:5:16 error: unknown column "noet" for "room" [column-unknown]',
    'did you mean "note"?',
  ],
  [
    'heading of table misspelt',
    [['data/objects.csv', 'number,title,made', 'number,titel,made']],
    'batches/cards.yaml:3:18 error: no column for "title" [heading-missing]',
    'did you mean "titel"?',
  ],
  [
    'send condition',
    [['batches/urgent.yaml', 'answer.urgency', 'answer.urgensy']],
    'batches/urgent.yaml:8:20 error: unknown field "urgensy" of "answer" [field-unknown]',
    'did you mean "urgency"?',
  ],
  [
    'send value',
    [['batches/urgent.yaml', 'is "repair"', 'is "repiar"']],
    'batches/urgent.yaml:8:31 error: "repiar" is not an option of "answer.urgency" [option-unknown]',
    'did you mean "repair"?',
  ],
  [
    'to outside',
    [['batches/cards.yaml', '../out/cards.jsonl', '../../out/cards.jsonl']],
    'batches/cards.yaml:5:5 error: "../../out/cards.jsonl" is outside the library\'s folder [path-leaves-library]',
    'a path begins at the folder of its own file, and leads to a file of the library',
  ],
  [
    'to ending',
    [['batches/cards.yaml', '../out/cards.jsonl', '../out/cards.doc']],
    'batches/cards.yaml:5:5 error: cannot write records to out/cards.doc [output-ending]',
    'use .jsonl, .csv, .tsv, .xlsx, .parquet, or one file per record: out/{item.number}.md',
  ],
  [
    'send same as to',
    [['batches/urgent.yaml', '../out/repairs.csv', '../out/sorted.jsonl']],
    'batches/urgent.yaml:8:45 error: "out/sorted.jsonl" is written twice: it is where all records go [output-twice]',
    'name another file',
  ],
  [
    'envelope misspelt',
    [['batches/cards.yaml', 'to: ../out/cards.jsonl', 'envelope: dsk\nto: ../out/cards.jsonl']],
    'batches/cards.yaml:5:11 error: unknown envelope "dsk" [use-unknown]',
    'the library has no envelope',
  ],
  [
    'envelope slot',
    [
      ['envelopes/desk.yaml', 'title: Desk\nline: { id: "{record.idd}", turns: "{turns}" }\n'],
      ['batches/cards.yaml', 'to: ../out/cards.jsonl', 'envelope: desk\nto: ../out/cards.jsonl'],
    ],
    'envelopes/desk.yaml:2:22 error: unknown slot "idd" in an envelope [envelope-name-unknown]',
    'did you mean "id"?',
  ],
  [
    'envelope slot of a model',
    [
      ['envelopes/desk.yaml', 'title: Desk\nline: { turns: "{trns}" }\n'],
      ['models.yaml', 'models:\n  m: { url: "http://127.0.0.1:9/ask", envelope: desk, answer: /text }\n'],
    ],
    'envelopes/desk.yaml:2:18 error: unknown slot "trns" in an envelope [envelope-name-unknown]',
    'did you mean "turns"?',
  ],
  [
    'envelope value slot',
    [
      ['envelopes/desk.yaml', 'title: Desk\nline: { id: "{values.item.nubmer}", turns: "{turns}" }\n'],
      ['batches/cards.yaml', 'to: ../out/cards.jsonl', 'envelope: desk\nto: ../out/cards.jsonl'],
    ],
    'envelopes/desk.yaml:2:27 error: unknown slot "nubmer" in an envelope [envelope-name-unknown]',
    'did you mean "number"?',
  ],
  [
    'row without a cell',
    [['data/objects.csv', 'H-006,Oar,,ash,"Dry, sound, a little bent."', 'H-006,Oar,,ash']],
    'batches/cards.yaml:3:18 info: 1 of the first 12 rows of data/objects.csv would be rejected; the first: row 6 has 4 cells, but there are 5 headings [rows-rejected]',
    'dunelight fit shows all reasons',
  ],
  [
    'no row fits',
    [['prompts/describe.yaml', 'made: { type: integer, optional: true,', 'made: { type: integer, min: 1950,']],
    'batches/cards.yaml:3:18 error: all of the first 12 rows of data/objects.csv would be rejected; the first: row 1, column "made": "1871" is below the minimum 1950 [rows-unfit]',
    '',
  ],
  [
    'single quotes',
    [['snippets/style.yaml', '"child"', "'child'"]],
    'snippets/style.yaml:6:20 error: expected a text in double quotes after "when reader is" in "when" [directive-unreadable]',
    '',
  ],
  [
    'elif',
    [['snippets/style.yaml', '~ otherwise', '~ elif reader is "adult"']],
    'snippets/style.yaml:8:5 error: "elif" is not part of this language [foreign-word]',
    'write otherwise when',
  ],
  [
    'inline if',
    [
      [
        'prompts/describe.yaml',
        '{when item.made}in {item.made}{otherwise}at an unknown date{end}',
        '{if item.made}in {item.made}{else}at an unknown date{endif}',
      ],
    ],
    'prompts/describe.yaml:24:20 error: "if" is not part of this language [foreign-word]',
    'write when … otherwise … end',
  ],
  [
    'the end of an if',
    [['snippets/style.yaml', '~ end', '~ end if']],
    'snippets/style.yaml:10:8 error: "end if" is not part of this language [foreign-word]',
    'write end',
  ],
  [
    'set of a file that is missing',
    [
      [
        'prompts/guide.yaml',
        'title: G\nvariables: { item: { type: record, fields: { number: text } }, guide: file }\nturns: [{ user: "{item.number}", attach: [guide] }]\n',
      ],
      [
        'batches/g.yaml',
        'title: G\nprompt: guide\nrecords: { from: ../data/objects.csv, as: item }\nset: { guide: ../data/guide.md }\nto: ../out/g.jsonl\n',
      ],
    ],
    'batches/g.yaml:4:8 error: cannot read data/guide.md: no such file or folder [file-unreadable]',
    '',
  ],
  [
    'cell of wrong type',
    [['data/objects.csv', 'H-003,Storm lantern,1890', 'H-003,Storm lantern,c. 1890']],
    'batches/cards.yaml:3:18 info: 1 of the first 12 rows of data/objects.csv would be rejected; the first: row 3, column "made": "c. 1890" is not a whole number [rows-rejected]',
    'dunelight fit shows all reasons',
  ],
  [
    'locale',
    [['dunelight.yaml', 'locale: en-GB', 'locale: engb']],
    'dunelight.yaml:3:9 error: "engb" is not a valid locale [locale-unknown]',
    'write a language tag such as de, en-GB or nb-NO',
  ],
  [
    'screens key',
    [['dunelight.yaml', 'locale: en-GB', 'locale: en-GB\nscreens: [{ name: s, applies-to: reqest, finds: key-shaped, action: stop }]']],
    'dunelight.yaml:4:34 error: "applies-to" must be one of request, reply, not "reqest" [key-invalid]',
    'did you mean "request"?',
  ],
  [
    'settings misspelt',
    [['prompts/describe.yaml', 'output: card', 'output: card\nsettings: { temprature: 0.2 }']],
    'prompts/describe.yaml:28:13 warning: unknown setting "temprature"; it is passed on unchecked [setting-misspelt]',
    'did you mean "temperature"?',
  ],
  [
    'date pattern',
    [
      ['prompts/describe.yaml', 'title: text', 'title: date'],
      ['prompts/describe.yaml', '{item.title}', '{item.title as date "d. qq yyyy"}'],
      ['data/objects.csv', "H-001,Ship's bell", 'H-001,2020-01-02'],
    ],
    'prompts/describe.yaml:23:41 error: the format "date" takes by choice "style, or a pattern of yyyy MM M MMMM MMM dd d HH mm" [format-argument]',
    '',
  ],
  [
    'output asks for other form than set',
    [['examples/sorted-notes.yaml', '  {urgency}', '  State: {urgency}']],
    'examples/sorted-notes.yaml:9:7 warning: the cases of "sorted-notes" show "State: fine", which is not the form that the output "urgency" asks for: "State: fine" is read as "fine" [expected-other-form]',
    'write the expected side as the output asks, or: expected-form: output',
  ],
  [
    'snippet default hides',
    [
      ['snippets/style.yaml', 'of: [adult, child] }', 'of: [adult, child], default: adult }'],
      ['prompts/describe.yaml', '~ use style with reader = reader', '~ use style'],
    ],
    'prompts/describe.yaml:19:7 info: the snippet "style" takes its default for "reader", not the "reader" here [default-hides]',
    'write: with reader = reader',
  ],
]

test.each(MISTAKES)('%s', (_, changes, message, help) => {
  const library = house.pathOf('library')
  rmSync(library, { recursive: true, force: true })
  cpSync('packages/cli/template', library, { recursive: true })
  for (const [path, old, now] of changes) {
    const file = `${library}/${path}`
    const before = now === undefined ? '' : readFileSync(file, 'utf8')
    expect(before).toContain(now === undefined ? '' : old)
    mkdirSync(dirname(file), { recursive: true })
    writeFileSync(file, now === undefined ? old : before.replace(old, () => now))
  }
  const { out } = dunelight('check', library, '--json')
  const { problems } = JSON.parse(out) as { problems: Printed[] }
  const told = problems.map(({ file, line, column, severity, message: words, code, hint }) => {
    const place = file === undefined ? '' : `${file}:${line}:${column}`
    return [`${place} ${severity}: ${words} [${code}]`, hint ?? '']
  })
  expect(told).toEqual([[message, help]])
})
