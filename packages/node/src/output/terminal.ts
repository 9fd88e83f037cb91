/** Characters that make a terminal do something else than show a text: controls, and those that turn the direction of what follows. */
// eslint-disable-next-line no-control-regex -- these are looked for
const ACTIVE = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]/g

/** A text that can be shown on a terminal: line breaks and tabs stay, other controls become visible symbols. */
export function visible(text: string): string {
  return text.replace(ACTIVE, (character, position: number) =>
    character === '\r' && text[position + 1] === '\n' ? character : shown(character),
  )
}

function shown(character: string): string {
  const code = character.charCodeAt(0)
  if (code < 0x20) return String.fromCharCode(0x2400 + code)
  return code === 0x7f ? '␡' : `<U+${code.toString(16).toUpperCase().padStart(4, '0')}>`
}
