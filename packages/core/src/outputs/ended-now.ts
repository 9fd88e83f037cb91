/**
 * A reply that is still coming, ended where it breaks off: JSON gets the marks that close it, so that a field can be read before it is whole.
 * Anything else stays as it is.
 */
export function endedNow(text: string): string {
  const start = text.search(/[[{]/)
  if (start < 0) return text
  const open: string[] = []
  let inText = false
  let end = text.length
  for (let i = start; i < end; i++) {
    const character = text[i]
    if (inText && character === '\\') {
      const length = text[i + 1] === 'u' ? 6 : 2
      // An escape that is not whole yet is left away.
      if (i + length > end) end = i
      else i += length - 1
    } else if (character === '"') inText = !inText
    else if (inText) continue
    else if (character === '{') open.push('}')
    else if (character === '[') open.push(']')
    else if (character === '}' || character === ']') open.pop()
  }
  if (open.length === 0) return text
  const whole = text.slice(0, end) + (inText ? '"' : '')
  return withoutLoose(whole, open.at(-1) === '}') + open.reverse().join('')
}

/** Without a comma at its end; in an object, without a name that has no value yet. */
function withoutLoose(text: string, inObject: boolean): string {
  const name = inObject ? /(?:([{])|,)\s*"(?:[^"\\]|\\.)*"\s*:?\s*$/.exec(text) : undefined
  return name ? text.slice(0, name.index) + (name[1] ?? '') : text.replace(/,\s*$/, '')
}
