/** The JSON Schema of a line about a rejected record. */
export const REJECTED_SCHEMA = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'Dunelight: a rejected record',
  description: 'A line of rejected.jsonl, and of the file named by --rejected.',
  type: 'object',
  properties: {
    row: { description: 'The row number, from 1 after the headings.', type: 'integer', minimum: 1 },
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
          data: { description: 'The data of the message.' },
        },
        required: ['code', 'severity', 'message', 'data'],
      },
    },
    reply: { description: 'The reply, if there was one.', type: 'string' },
    partial: { description: 'The part of the reply that could be read, or null.' },
    raw: { description: 'The record as in its table; a text if the row could not be parsed.' },
  },
  required: ['row', 'record', 'reasons', 'problems', 'raw'],
  additionalProperties: false,
} as const
