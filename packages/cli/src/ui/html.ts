import { defined } from 'dunelight/host'
export function escape(text: string): string {
  return text.replace(/[&<>"]/g, (sign) => defined({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }[sign]))
}
