import { around, type Weave } from './format.js'

/** The first `most` words; a shortened text loses its last punctuation and gets an ellipsis, which is not counted. */
export function cutWords(text: string, most: number): string | Weave {
  const words = /\S+/g
  let end = 0
  for (let n = 0; n < most; n++) {
    if (!words.exec(text)) return text
    end = words.lastIndex
  }
  return text.slice(end).trim() === '' ? text : shortened(text.slice(0, end))
}

/** As many whole words as fit into `most` characters; a first word that is too long is cut. */
export function cutSigns(text: string, most: number): string | Weave {
  const characters = Array.from(text)
  if (characters.length <= most) return text
  const head = characters.slice(0, most).join('')
  if (/\s/.test(characters[most] ?? ' ')) return shortened(head)
  const lastWord = head.search(/\s+\S*$/)
  const whole = lastWord > 0 ? head.slice(0, lastWord) : ''
  return shortened(whole.trim() === '' ? head : whole)
}

function shortened(text: string): Weave {
  return around('', text.replace(/[\s\p{P}]+$/u, ''), '…')
}
