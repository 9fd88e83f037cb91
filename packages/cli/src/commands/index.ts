import type { CommandFile } from '../define-command.js'
import { askCommand } from './ask.js'
import { checkCommand } from './check.js'
import { completionCommand } from './completion.js'
import { compareCommand } from './compare.js'
import { historyCommand } from './history.js'
import { diffCommand } from './diff.js'
import { publishCommand } from './publish.js'
import { channelCommand } from './channel.js'
import { editionsCommand } from './editions.js'
import { approveCommand } from './approve.js'
import { auditCommand } from './audit.js'
import { keyCommand } from './key.js'
import { callerCommand } from './caller.js'
import { callerAddCommand } from './caller-add.js'
import { serveCommand } from './serve.js'
import { examplesCommand } from './examples.js'
import { examplesAddCommand } from './examples-add.js'
import { fitCommand } from './fit.js'
import { graphCommand } from './graph.js'
import { newCommand } from './new.js'
import { listCommand } from './list.js'
import { openCommand } from './open.js'
import { reviewCommand } from './review.js'
import { readCommand } from './read.js'
import { renderCommand } from './render.js'
import { resumeCommand } from './resume.js'
import { runCommand } from './run.js'
import { runsCommand } from './runs.js'
import { sampleCommand } from './sample.js'
import { schemaCommand } from './schema.js'
import { fileSchemasCommand } from './file-schemas.js'
import { showCommand } from './show.js'
import { mockCommand } from './mock.js'
import { typesCommand } from './types.js'
import { fromSchemaCommand } from './from-schema.js'

/** All commands, in the order of the help page. */
export const COMMANDS: readonly CommandFile[] = [
  newCommand,
  openCommand,
  checkCommand,
  listCommand,
  showCommand,
  graphCommand,
  examplesCommand,
  examplesAddCommand,
  fromSchemaCommand,
  renderCommand,
  fitCommand,
  runCommand,
  askCommand,
  compareCommand,
  reviewCommand,
  readCommand,
  sampleCommand,
  mockCommand,
  runsCommand,
  resumeCommand,
  historyCommand,
  diffCommand,
  publishCommand,
  editionsCommand,
  approveCommand,
  channelCommand,
  auditCommand,
  keyCommand,
  serveCommand,
  callerCommand,
  callerAddCommand,
  typesCommand,
  schemaCommand,
  fileSchemasCommand,
  completionCommand(() => COMMANDS),
]
