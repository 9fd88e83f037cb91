import { listRuns } from '../runs/run-file.js'
import { isAskRun, type TokenCorrection } from './ask-run.js'

/** With fewer tokens no factor is computed. */
const FEWEST_TOKENS = 200

/** What earlier runs of a library show about a model: services count tokens differently and add some of their own. Undefined without such runs. */
export async function correctionFor(runs: string, identity: string): Promise<TokenCorrection | undefined> {
  let [used, estimated, count] = [0, 0, 0]
  for (const { file } of await listRuns(runs)) {
    if (!isAskRun(file) || file.asking.identity !== identity) continue
    const { counts } = file
    if (!counts || counts.estimated === 0) continue
    used += counts.usageOfEstimated
    estimated += counts.estimated
    count++
  }
  return estimated < FEWEST_TOKENS ? undefined : { factor: used / estimated, runs: count }
}
