/** An earlier turn, as a variable of the type `turns` holds it. */
export interface PastTurn {
  readonly role: 'user' | 'assistant'
  readonly text: string
}

/**
 * A turn that this prompt rendered before, in the same conversation. The fences in it are the prompt's own, so that they stay; what guests
 * wrote within them was made harmless when it was rendered.
 */
export class SaidTurn implements PastTurn {
  constructor(
    readonly role: PastTurn['role'],
    readonly text: string,
  ) {}
}

/** The turns by exchange. Each begins with a user turn; what comes before the first one is an exchange of its own. */
export function exchangesOf<T extends PastTurn>(turns: readonly T[]): T[][] {
  const exchanges: T[][] = []
  for (const turn of turns) {
    const current = exchanges.at(-1)
    if (current && (turn.role !== 'user' || current.at(-1)?.role === 'user')) current.push(turn)
    else exchanges.push([turn])
  }
  return exchanges
}
