import type { Shape } from '../artefacts/artefacts.js'
import { jsonBytes, utf8Bytes } from '../render/json-bytes.js'
import type { Text } from '../text/nodes.js'

/** A piece of a line as JSON bytes; undefined where there is nothing to write: its key is left out. */
export type Piece<F> = (filling: F) => string | undefined

/** Compiles a JSON value in which texts with slots stand; `text` compiles those. */
export function compileShape<F>(shape: Shape, text: (text: Text) => Piece<F>): Piece<F> {
  switch (shape.kind) {
    case 'data': {
      const json = shape.data === null ? 'null' : jsonOf(shape.data)
      return () => json
    }
    case 'list': {
      const items = shape.items.map((item) => compileShape(item, text))
      return (filling) => `[${items.flatMap((item) => item(filling) ?? []).join(',')}]`
    }
    case 'keys': {
      const keys = shape.entries.map(([key, value]) => [`"${jsonBytes(key)}":`, compileShape(value, text)] as const)
      return (filling) => {
        let json = ''
        for (const [key, piece] of keys) {
          const value = piece(filling)
          if (value !== undefined) json += `${json === '' ? '' : ','}${key}${value}`
        }
        return `{${json}}`
      }
    }
    case 'text':
      return text(shape.text)
  }
}

/** Data as JSON bytes; what is missing is not written. */
export function jsonOf(value: unknown): string | undefined {
  if (value === undefined || value === null || (typeof value === 'number' && Number.isNaN(value))) return undefined
  return utf8Bytes(typeof value === 'bigint' ? value.toString() : JSON.stringify(value))
}
