import type { Block } from '../runs/block.js'

/** A block as one thread sends it to another. Arrays with a value for each record are slow to copy, so they become a few large values. */
export interface PackedBlock extends Omit<Block, 'onTurn' | 'ids' | 'named' | 'rows' | 'lengths' | 'sizes'> {
  /** The ids with a line feed after each; a list if one of them has a line feed. */
  readonly ids: string | readonly string[]
  readonly named: Uint8Array
  readonly rows: Float64Array
  readonly lengths: Int32Array
  readonly sizes: Int32Array
}

export function packed({ onTurn: _, ...block }: Block): PackedBlock {
  const { ids, named, rows, lengths, sizes, tokens, fingerprints, paths } = block
  return {
    ...block,
    ids: ids.some((id) => id.includes('\n')) ? ids : ids.map((id) => `${id}\n`).join(''),
    named: Uint8Array.from(named, Number),
    rows: Float64Array.from(rows),
    lengths: Int32Array.from(lengths),
    sizes: Int32Array.from(sizes),
    tokens: someOf(tokens),
    fingerprints: someOf(fingerprints),
    paths: someOf(paths),
  }
}

export function unpacked({ ids, named, rows, lengths, sizes, ...block }: PackedBlock): Omit<Block, 'onTurn'> {
  return {
    ...block,
    ids: typeof ids === 'string' ? ids.split('\n').slice(0, -1) : ids,
    named: Array.from(named, Boolean),
    rows: Array.from(rows),
    lengths: Array.from(lengths),
    sizes: Array.from(sizes),
  }
}

/** An empty list stands for a list without any value. */
function someOf<T>(values: readonly (T | undefined)[]): readonly (T | undefined)[] {
  return values.some((value) => value !== undefined) ? values : []
}
