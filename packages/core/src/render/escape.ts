// eslint-disable-next-line no-control-regex -- JSON escapes control signs
const ESCAPED = /["\\\u0000-\u001f\ud800-\udfff]/

/** A text as it stands between the quotes of a JSON string: what `JSON.stringify` gives, without asking it where nothing is to be escaped. */
export function escapeJson(text: string): string {
  return ESCAPED.test(text) ? JSON.stringify(text).slice(1, -1) : text
}
