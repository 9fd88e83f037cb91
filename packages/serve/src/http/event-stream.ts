import type { AskListener } from '../service/service.js'
import type { KeptResult } from './idempotency.js'
import { EVENT_HEADERS, eventText } from './replies.js'

/**
 * A question whose answer comes in pieces, as server-sent events: `text` for each piece, then one `answer` or one `problem`. If the caller goes
 * away, the question is given up.
 */
export function askStream(ask: (listener: AskListener) => Promise<KeptResult>): Response {
  const gone = new AbortController()
  const encoder = new TextEncoder()
  const body = new ReadableStream<Uint8Array>({
    start: (out) => {
      const send = (text: string) => {
        if (!gone.signal.aborted) out.enqueue(encoder.encode(text))
      }
      // The caller learns at once that it was admitted.
      send(': admitted\n\n')
      const answer = async () => {
        const { status, body: result } = await ask({
          signal: gone.signal,
          onPiece: (piece) => send(eventText('text', JSON.stringify(piece))),
        })
        send(eventText(status < 300 ? 'answer' : 'problem', result))
        if (!gone.signal.aborted) out.close()
      }
      // Many callers at once all hear first that they were admitted.
      setImmediate(() => void answer())
    },
    cancel: () => gone.abort(),
  })
  return new Response(body, { headers: EVENT_HEADERS })
}
