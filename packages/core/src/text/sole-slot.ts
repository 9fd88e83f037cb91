import type { SlotValue, Text } from './nodes.js'

/** The one slot that a text consists of: such a text hands its value on as it is. */
export function soleSlot(text: Text): SlotValue | undefined {
  const [line] = text.items
  if (text.items.length !== 1 || line?.kind !== 'line' || line.pieces.length !== 1) return undefined
  const [piece] = line.pieces
  return piece?.kind === 'slot' ? piece.value : undefined
}
