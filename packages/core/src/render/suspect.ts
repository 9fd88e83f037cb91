/** Signs that open a tag or look as if, and signs that begin a reference to one. A value without any cannot begin a form of a tag. */
export const OPENERS =
  '<\uFF1C\uFE64\u2039\u3008\u27E8\u2329\u276E\u2770\u02C2\u1438\u227A\u22D6\u300A\u27EA\u29FC\u00AB\u25C1\u25C2\u2264\u2A7D\u226E\u227E\u276C\u16B2\u{1D236}'
export const CLOSERS =
  '>\uFF1E\uFE65\u203A\u3009\u27E9\u232A\u276F\u2771\u02C3\u1433\u227B\u22D7\u300B\u27EB\u29FD\u00BB\u25B7\u25B8\u2265\u2A7E\u226F\u227F\u276D\u{16F3F}\u{1D237}'
export const SLASHES = '/\uFF0F\u2215\u2044\u2571\u29F8\u2F03\u27CB\u3033\u30CE\u4E3F'
const REFERENCES = '&\uFF06\uFE60%\uFF05\uFE6A\\\\\uFF3C\uFE68'

/** Beginnings of references that are plain words all the same: `Tarrow & Sons`, `100 % wool`. Cut short by the value's end they are not. */
const AMPERSAND = '&(?! ?(?!lt|gt|sol|amp|bso|per|num|sem|low|hyp|das|nbs|zwj|zwn|shy)[a-z]{3})'
const PERCENT = '%(?! ?[g-z.,;:)])'

const CLOSER_LOOK = new RegExp(`[${(OPENERS + REFERENCES).replace(/[\uD800-\uDFFF&%]/g, '')}\uD834]|${AMPERSAND}|${PERCENT}`, 'i')
/** Letters with accents, dashes and quotation marks are not among them. */
const FIRST_LOOK = /[<&%\\\u00ab\u00bb\u02b0-\u02ff\u1400-\u16ff\u2030-\uffff]/

/**
 * Whether a value could begin a form of a tag. It runs over every text that is written beside a fence, so plain text passes by a first look
 * at UTF-16 units; with the `u` flag the whole took as long as the rendering itself. The astral look-alikes share one high surrogate.
 */
export function isSuspect(text: string): boolean {
  return FIRST_LOOK.test(text) && CLOSER_LOOK.test(text)
}

/** A value that needs none of these looks is written into JSON as it is, and can begin no form of a tag: most values are such. */
// eslint-disable-next-line no-control-regex -- JSON escapes control signs
const ANY_LOOK = /["\\<&%\u0000-\u001f\u0080-\uffff]/

export function isHarmless(text: string): boolean {
  return !ANY_LOOK.test(text)
}

/** Where the search for forms begins. */
export const FORM_START = new RegExp(`[${OPENERS}${REFERENCES}]`, 'gu')

/** Fixed text that leaves a tag or a reference open for a value to finish. */
export const OPEN_END = new RegExp(`[${OPENERS}][^${CLOSERS}]*$|[${REFERENCES}][#\\w\\s]*$`, 'u')
