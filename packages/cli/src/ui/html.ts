import { defined } from 'dunelight/host'
export function escape(text: string): string {
  return text.replace(/[&<>"]/g, (character) => defined({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }[character]))
}
