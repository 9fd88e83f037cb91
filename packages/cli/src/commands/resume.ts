import { readyModel, resumeAsking, resumeRun } from '@dunelight/node'
import { isAskRun } from '@dunelight/node/host'
import { defineCommand, DETAIL_FLAGS, OVERWRITE_FOREIGN, RUN } from '../define-command.js'
import { openRun } from '../flags/saved-values.js'
import type { CommandContext } from '../ui/context.js'
import { reportAsking } from './ask.js'
import { reportRun } from './run.js'

export const resumeCommand = defineCommand({
  name: 'resume',
  group: 'Runs',
  about: 'Resume a run that was interrupted.',
  arguments: [RUN],
  options: [OVERWRITE_FOREIGN, ...DETAIL_FLAGS],
  examples: ['resume demo/marram-house/runs/tonight-1'],
  run: (context, [folder], flags: ResumeFlags) => resume(context, folder, flags),
})

interface ResumeFlags {
  readonly overwrite?: boolean
  readonly json?: boolean
}

async function resume(context: CommandContext, folder: string, { overwrite = false, json = false }: ResumeFlags): Promise<number> {
  const { file, library, values } = await openRun(folder, context.env)
  if (!isAskRun(file)) return reportRun(context, json, ({ listener }) => resumeRun(folder, { library, values, overwrite, ...listener }))
  const model = readyModel(library, file.prompt.name, file.asking.model, file.asking.mock)
  const several = file.asking.candidates !== undefined
  return reportAsking(context, model, { several, json }, (listener) =>
    resumeAsking(folder, { library, model, values, overwrite, ...listener }),
  )
}
