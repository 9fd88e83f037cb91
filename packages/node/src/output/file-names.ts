/** Names that a system keeps for its devices, whatever ending they have. */
const DEVICES = /^(?:con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(?=\.|$)/i
/** What some system refuses in a name, what a shell or a spreadsheet takes for more than a name, and what turns the direction of a text. */
// eslint-disable-next-line no-control-regex -- controls are among them
const REFUSED = /[\u0000-\u001f\u007f-\u009f<>:"|?*\\\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]+/g

/** A step of a path as it can be called on every system: `aux.md` is `_aux.md`, `=1+1` is `_=1+1`. */
export function fileName(step: string): string {
  const plain = step.replace(REFUSED, '-').replace(/[. ]+$/, '_')
  return DEVICES.test(plain) || /^[-=+@~ ]/.test(plain) ? `_${plain}` : plain
}
