import { artefactSchema, either, listOf, mapOf, mapSchema, oneOf, SCALAR, texts } from './keys.js'
import {
  BATCH_KEYS,
  COLUMN_KEYS,
  COLUMN_TYPES,
  JOIN_KEYS,
  SAMPLE_KEYS,
  SENDING_KEYS,
  TABLE_FORMATS,
  TABLE_KEYS,
} from '../artefacts/batch.js'
import { ENVELOPE_KEYS, ROLE_KEYS } from '../artefacts/envelope.js'
import type { JsonSchema } from '../interop/to-schema.js'

const TABLE = {
  from: 'The table: a path from this file.',
  as: 'The name under which its rows are spoken of.',
  format: ['Its format, where its ending does not say it.', oneOf(TABLE_FORMATS)],
  sheet: 'The sheet of a spreadsheet.',
  query: 'What is asked of an SQLite file.',
  encoding: 'The encoding of a text that is not UTF-8, such as windows-1250.',
} as const

const records = mapSchema(TABLE_KEYS, TABLE, ['from'])

const join = mapSchema(
  JOIN_KEYS,
  {
    ...TABLE,
    where: 'Which row belongs to a record: item.room is room.code.',
    many: 'Whether a record may have several: they become a list.',
    of: 'The field that takes them.',
  },
  ['from', 'as', 'where'],
)

const column = mapSchema(COLUMN_KEYS, {
  heading: 'The heading in the table.',
  type: ['What its cells are.', oneOf(Object.keys(COLUMN_TYPES))],
})

const sample = mapSchema(SAMPLE_KEYS, { count: ['How many records.', { minimum: 1 }], seed: 'Decides which.' })

const sending = mapSchema(
  SENDING_KEYS,
  { when: 'For which answers: answer.grade in ("urgent", "treat").', to: 'The file that their rows go to.' },
  ['when', 'to'],
)

export const batchSchema: JsonSchema = artefactSchema(
  BATCH_KEYS,
  {
    prompt: 'The prompt that is rendered for each record.',
    records: ['The table of the records.', records],
    join: ['Tables in which each record finds its row.', listOf(join)],
    keep: 'The condition by which records are kept: item.status is "on display".',
    columns: ['Which heading gives which value.', mapOf(either(SCALAR, column))],
    set: 'Values that are the same for all records.',
    name: 'The id of a record, with slots. Default: its id column, or its row number.',
    take: ['The most records that are rendered.', { minimum: 1 }],
    sample: ['This many records, chosen at random by seed.', either({ type: 'integer', minimum: 1 }, sample)],
    seed: 'Decides between the wordings of vary.',
    to: 'Where the records go: .jsonl, .csv, .tsv, .xlsx, .parquet, or a file for each, with slots.',
    envelope: 'The form of a line.',
    tokens: 'Whether tokens are counted.',
    'keep-turns': 'Whether a run that asks keeps the turns that it sent, compressed, in its folder.',
    flatten: ['A list of the answer whose items become rows, or a record whose fields become columns: answer.rows.', either(SCALAR, texts)],
    'raw-cells': 'Whether cells that a spreadsheet would run as formulas are written unchanged, without an apostrophe.',
    budget: ['The most tokens: 500k, 2m.', { type: ['string', 'integer'] }],
    send: ['Where which rows go once they are answered.', listOf(sending)],
  },
  ['prompt', 'records'],
)

const role = 'What this role is called there.'

export const envelopeSchema: JsonSchema = artefactSchema(
  ENVELOPE_KEYS,
  {
    line: 'The shape of a line: any JSON, with slots such as {turns} and {settings}.',
    turn: 'The shape of a turn: any JSON, with {role} and {text}.',
    roles: ['Other names for the roles.', mapSchema(ROLE_KEYS, { system: role, user: role, assistant: role })],
  },
  ['line'],
)
