/** Texts of this length are remembered: shorter ones are written again as quickly. */
const WORTH_IT = 400
/** Values kept in each of two generations: a value that is used again within one stays. */
const MOST = 64

/**
 * The same work, remembered for long texts: those that come again with every record, a system turn most of all, are gone through once. Texts that
 * come once do not drive them out.
 */
export function rememberLong<V extends string | number | boolean | object | null>(work: (text: string) => V): (text: string) => V {
  let young = new Map<string, V>()
  let old = new Map<string, V>()
  return (text) => {
    if (text.length < WORTH_IT) return work(text)
    const known = young.get(text)
    if (known !== undefined) return known
    const result = old.get(text) ?? work(text)
    if (young.size === MOST) {
      old = young
      young = new Map()
    }
    young.set(text, result)
    return result
  }
}
