import { SpanStatusCode, trace, type Attributes } from '@opentelemetry/api'

/** The version of the conventions for generative models that spans can have attributes of. */
export const GENAI_CONVENTIONS = '1.37'

const tracer = trace.getTracer('@dunelight/serve')

/** What a traced operation tells of itself. */
export type Attribute = (attributes: Attributes) => void

/** Runs an operation in a span of its own: nothing is recorded unless the program has registered an SDK. */
export function traced<T>(name: string, attributes: Attributes, run: (tell: Attribute) => Promise<T>): Promise<T> {
  return tracer.startActiveSpan(name, { attributes }, async (span) => {
    try {
      return await run((more) => span.setAttributes(more))
    } catch (fault) {
      // Its message may have words of the values.
      span.setStatus({ code: SpanStatusCode.ERROR, message: fault instanceof Error ? fault.name : 'failed' })
      throw fault
    } finally {
      span.end()
    }
  })
}
