import { defined } from '../invariant.js'
import type { Shared } from './context.js'
import { flat } from './op-list.js'
import { jsonBytes } from '../render/json-bytes.js'
import type { Op } from '../render/run.js'
import { Trace } from '../render/trace.js'
import type { Locale } from '../values/locale.js'

/** A step that draws on nothing of the record is run once for each locale and then only copied: a persona most of all. */
export function onceWhereConstant(shared: Shared, compile: () => Op): Op {
  const { varying } = shared
  const op = compile()
  return shared.varying === varying ? constantOp(op) : op
}

function constantOp(op: Op): Op {
  const known = new Map<Locale, { readonly text: string; readonly json: string; readonly trace: Trace }>()
  return (run) => {
    let constant = known.get(run.locale)
    if (!constant) {
      const { out, trace, json } = run
      const own = new Trace()
      run.out = ''
      run.trace = own
      run.json = false
      op(run)
      constant = { text: flat(run.out), json: flat(jsonBytes(run.out)), trace: own.take() }
      run.out = out
      run.trace = trace
      run.json = json
      known.set(run.locale, constant)
    }
    const { length } = run.out
    run.out += run.json ? constant.json : constant.text
    if (run.trace)
      for (let i = 0; i < constant.trace.ends.length; i++)
        run.trace.add(length + defined(constant.trace.ends[i]), defined(constant.trace.sources[i]))
  }
}
