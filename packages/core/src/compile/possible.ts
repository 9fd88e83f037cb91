import { defined } from '../invariant.js'
import { compileCondition } from './condition.js'
import type { Context } from './context.js'
import type { Scope } from './scope.js'
import type { Run, Test } from '../render/run.js'
import type { Line, Path, Piece, Text } from '../text/nodes.js'
import { ANY, type Declared, type ValueType } from '../values/types.js'

const MOST = 1000

/** All texts that a text of one line can come out as, where its parts are fixed or choices; undefined where it can be anything. */
export function possibleTexts(text: Text, scope: Scope): string[] | undefined {
  const line = soleLine(text)
  const all = line && possible(line.pieces, scope)
  return all && [...new Set(all.map((text) => text.trim()))]
}

/** The same text as a function of the rendering, without writing it: for names that are chosen in every one. */
export function chosenText(text: Text, context: Context): ((run: Run) => string) | undefined {
  const [piece, ...others] = soleLine(text)?.pieces ?? []
  if (piece?.kind !== 'when' || others.length > 0) return undefined
  const branches: { readonly test: Test | undefined; readonly name: string }[] = []
  for (const branch of piece.branches) {
    const [only, ...more] = branch.body as readonly Piece[]
    const test = branch.condition && compileCondition(branch.condition, context)
    if (only?.kind !== 'fixed' || more.length > 0 || (branch.condition && !test)) return undefined
    branches.push({ test, name: only.text.trim() })
  }
  return (run) => {
    for (const { test, name } of branches) if (!test || test(run)) return name
    return ''
  }
}

/** The one line of a text that is not empty, if it has just one. */
function soleLine(text: Text): Line | undefined {
  const [line, ...others] = text.items.filter((item) => item.kind !== 'line' || !item.blank)
  return line?.kind === 'line' && others.length === 0 ? line : undefined
}

function possible(pieces: readonly Piece[], scope: Scope): string[] | undefined {
  let all = ['']
  for (const piece of pieces) {
    const options = possiblePiece(piece, scope)
    if (!options || all.length * options.length > MOST) return undefined
    all = all.flatMap((head) => options.map((option) => head + option))
  }
  return all
}

function possiblePiece(piece: Piece, scope: Scope): string[] | undefined {
  switch (piece.kind) {
    case 'fixed':
      return [piece.text]
    case 'aside':
      return ['']
    case 'slot': {
      const { paths, formats, fallback } = piece.value
      const declared = paths.length === 1 ? declaredAt(defined(paths[0]), scope) : undefined
      if (declared?.type.kind !== 'choice' || formats.length > 0) return undefined
      return [...declared.type.of, ...(declared.optional ? [fallback?.spelled ?? ''] : [])]
    }
    case 'when': {
      const branches = piece.branches.map((b) => possible(b.body as readonly Piece[], scope))
      if (!branches.every((b) => b !== undefined)) return undefined
      return [...branches.flat(), ...(piece.branches.at(-1)?.condition ? [''] : [])]
    }
    case 'vary': {
      const wordings = piece.wordings.map((w) => possible(w.body as readonly Piece[], scope))
      return wordings.every((w) => w !== undefined) ? wordings.flat() : undefined
    }
    default:
      return undefined
  }
}

/** The declared type of a path through fields; undefined for any other path. */
function declaredAt(path: Path, scope: Scope): { readonly type: ValueType; readonly optional: boolean } | undefined {
  let declared: { readonly type: ValueType; readonly optional: boolean } | undefined = scope.find(path.name)
  for (const step of path.steps) {
    const { type, optional }: NonNullable<typeof declared> = declared ?? { type: ANY, optional: true }
    const field: Declared | undefined = type.kind === 'record' ? type.fields?.find((field) => field.name === step.key) : undefined
    declared = field && { type: field.type, optional: optional || (field.optional && field.default === undefined) }
  }
  return declared
}
