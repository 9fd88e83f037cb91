import { describe, expect, test } from '@jest/globals'
import { onePrompt, problemsOf, type Files } from '../../../../test/support.js'

const VARIABLES = `{ t: text, o: { type: text, optional: true }, n: integer, b: boolean, d: date, l: list of text, c: { type: choice, of: [adult, child] }, r: { type: record, fields: { a: text, m: { type: integer, optional: true } } }, open: record, rows: { type: table, fields: { week: integer, room: text } }, out: { type: text, untrusted: true } }`
const SNIPPETS: Files = {
  'snippets/needs.yaml': 'variables: { name: text }\ntext: "{name}"',
  'snippets/small.yaml': 'variables: { c: { type: choice, of: [adult] } }\ntext: "{c}"',
  'snippets/part.yaml': 'variables: { r: { type: record, fields: { a: text } } }\ntext: "{r.a}"',
  'snippets/whole.yaml': 'variables: { r: { type: record, fields: { m: integer } } }\ntext: "{r.m}"',
  'snippets/ages/adult.md': 'Fully.',
}

/** The problems of one text, each as `line: message (help)`; variables that the text leaves unused are ignored. */
function says(text: string): string[] {
  return problemsOf(onePrompt(text, VARIABLES, SNIPPETS))
    .filter((p) => p.code !== 'variable-unused')
    .map((p) => `${p.place!.line - 4}: ${p.message}${p.hint === undefined ? '' : ` (${p.hint})`}`)
}

describe('found when the library opens', () => {
  test.each<[text: string, problems: string[]]>([
    // names and paths
    ['x\n{tt}', ['2: unknown variable "tt" (did you mean "t"?)']],
    ['{titel}', ['1: unknown variable "titel" (variables: t, l, open and 8 more)']],
    ['{r.aa}', ['1: unknown field "aa" of "r" (did you mean "a"?)']],
    ['{r.1}', ['1: ".1" cannot follow "r", which is a record']],
    ['{t.x}', ['1: ".x" cannot follow "t", which is text']],
    ['{l.first}', ['1: ".first" cannot follow "l", which is a list of text']],
    ['{rows.1.rom}', ['1: unknown field "rom" of "rows.1" (did you mean "room"?)']],
    ['{d.year}', ['1: ".year" cannot follow "d", which is a date']],
    // formats
    ['{n as upper}', ['1: the format "upper" cannot write "n", which is an integer (it takes text)']],
    ['{l as sum}', ['1: the format "sum" cannot write "l", which is a list of text (it takes lists of numbers)']],
    ['{rows as column "rom"}', ['1: the format "column" cannot write "rows", which is a table (it takes a declared column of a table)']],
    ['{l as count as upper}', ['1: the format "upper" cannot write "l", which is an integer (it takes text)']],
    ['{t as words}', ['1: the format "words" takes a number (words)']],
    ['{t as words 0}', ['1: the format "words" takes a number (words)']],
    ['{t as upper "x"}', ['1: the format "upper" takes no arguments']],
    ['{n as currency "euro"}', ['1: the format "currency" takes "code"']],
    ['{b as either "in"}', ['1: the format "either" takes "yes" and "no"']],
    // conditions
    [
      '{when n is "3"}x{end}',
      ['1: "is" cannot compare "n" (an integer) and the text "3" (compare what has the same type: texts are in quotes, numbers are not)'],
    ],
    [
      '{when d < "tomorrow"}x{end}',
      ['1: "<" cannot compare "d" (a date) and the text "tomorrow" (compare what has the same type: texts are in quotes, numbers are not)'],
    ],
    [
      '{when l is t}x{end}',
      ['1: "is" cannot compare "l" (a list of text) and "t" (text) (compare what has the same type: texts are in quotes, numbers are not)'],
    ],
    [
      '{when b < true}x{end}',
      ['1: "<" cannot compare "b" (a boolean) and true (compare what has the same type: texts are in quotes, numbers are not)'],
    ],
    [
      '{when n in ("a", "b")}x{end}',
      [
        '1: "in" cannot compare "n" (an integer) and the text "a" (compare what has the same type: texts are in quotes, numbers are not)',
        '1: "in" cannot compare "n" (an integer) and the text "b" (compare what has the same type: texts are in quotes, numbers are not)',
      ],
    ],
    ['{when c is "chidl"}x{end}', ['1: "chidl" is not an option of "c" (did you mean "child"?)']],
    ['{when c in ("adult", "kid")}x{end}', ['1: "kid" is not an option of "c" (options: child, adult)']],
    // loops
    ['{each x in n}{x}{end}', ['1: "each" cannot repeat for "n", which is an integer']],
    ['~ each t in l\n{t}\n~ end', ['1: "t" hides the variable "t" in this loop']],
    ['~ each row in rows\n{row.wek}\n~ end', ['2: unknown field "wek" of "row" (did you mean "week"?)']],
    // use
    ['~ use needs', ['1: the snippet "needs" needs "name" (write "with name = …")']],
    ['~ use needs with name = o', ['1: "o" is optional, but the snippet "needs" requires "name" (write name = o or "…")']],
    ['~ use needs with nam = t, name = t', ['1: the snippet "needs" has no variable "nam" (did you mean "name"?)']],
    ['~ use needs with name = l', ['1: "name" of the snippet "needs" takes text, not a list of text']],
    [
      '~ use small',
      ['1: the snippet "small" needs "c": the "c" of the caller is one of adult, child, not one of adult (write "with c = …")'],
    ],
    ['~ use whole', ['1: the snippet "whole" needs "r": the "r" of the caller has other fields than are needed (write "with r = …")']],
    ['~ use ages/{c}', ['1: unknown snippet "ages/child" (snippets: ages/adult, small, whole and 2 more)']],
    ['~ use ages/{t}', ['1: "t" in a snippet\'s name must be a choice, but is text']],
    // untrusted text
    ['{out as upper}', ['1: "out" is untrusted and not fenced (write {out as fenced} on a line of its own)']],
    ['- {out as fenced} -', ['1: the fenced "out" is not alone on its line (move it to a line of its own)']],
    ['{each x in l}{x as fenced}{end}', ['1: the fenced "x" is not alone on its line (move it to a line of its own)']],
    ['{out as fenced as upper}', ['1: "fenced" cannot be used before "upper"']],
    ['{each x in out as fenced}{end}', ['1: "fenced" cannot be used in a value that is passed on']],
  ])('%s', (text, problems) => {
    expect(says(text)).toEqual(problems)
  })

  test.each([
    '{r.m or "unknown"} {open.a.b."c d" or t}',
    '~ use part',
    '{use needs with name = o or "x"}',
    '{when d >= "2026-01-01" and open.a is "x"}y{end}',
    '{rows as column "week" as sum}',
    '{when o}{out as fenced}{end}',
    '> - {out as fenced "note"}',
  ])('nothing wrong with %s', (text) => {
    expect(says(text)).toEqual([])
  })
})
