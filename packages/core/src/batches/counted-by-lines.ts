/** Lines that are longer are values: they hardly come again. */
const LONGEST_KEPT = 400
/** Lines whose counts are kept, in each of two generations: the current and the previous one. */
const MOST_KEPT = 20_000

/**
 * Counts a text in pieces, each once. It is cut at line ends that are followed by an ASCII character other than a space or a slash: there no
 * encoding joins what stands before with what comes after. Cuts anywhere else would count too many or too few.
 */
export function countedByLines(count: (text: string) => number): (text: string) => number {
  let now = new Map<string, number>()
  let before = new Map<string, number>()
  const counted = (piece: string): number => {
    if (piece.length > LONGEST_KEPT) return count(piece)
    const known = now.get(piece) ?? before.get(piece)
    const tokens = known ?? count(piece)
    if (now.size >= MOST_KEPT) {
      before = now
      now = new Map()
    }
    now.set(piece, tokens)
    return tokens
  }
  return (text) => {
    let tokens = 0
    let start = 0
    for (let position = text.indexOf('\n'); position >= 0; position = text.indexOf('\n', position + 1)) {
      if (!isCut(text.charCodeAt(position + 1))) continue
      tokens += counted(text.slice(start, position + 1))
      start = position + 1
    }
    return tokens + (start < text.length ? counted(text.slice(start)) : 0)
  }
}

/** Whether a line that begins with this character stands for itself. */
function isCut(unit: number): boolean {
  return unit > 0x20 && unit < 0x7f && unit !== 0x2f
}
