/** The JSON Schema of a line that tells of a rejected record. */
export const REJECTED_SCHEMA = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Dunelight: a rejected record',
  description: 'A line of set-aside.jsonl, and of the file that --aside names.',
  type: 'object',
  properties: {
    row: { description: 'The row’s number, from 1 below the heading.', type: 'integer', minimum: 1 },
    record: { description: 'The name of the record, or its row number.', type: 'string' },
    reasons: {
      description: 'The codes of its problems. It is counted under the first.',
      type: 'array',
      items: { type: 'string' },
      minItems: 1,
    },
    problems: {
      type: 'array',
      minItems: 1,
      items: {
        type: 'object',
        properties: {
          code: { type: 'string' },
          severity: { enum: ['error', 'warning', 'info'] },
          message: { type: 'string' },
          hint: { description: 'The likeliest fix.', type: 'string' },
          data: { description: 'What the sentence is made of.' },
        },
        required: ['code', 'severity', 'message', 'data'],
      },
    },
    reply: { description: 'The reply, if there was one.', type: 'string' },
    kept: { description: 'What of the reply could be read, or null.' },
    raw: { description: 'The record as it stands in its table; a text if it could not be cut into cells.' },
  },
  required: ['row', 'record', 'reasons', 'problems', 'raw'],
  additionalProperties: false,
} as const
