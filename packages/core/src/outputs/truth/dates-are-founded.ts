import { doubt } from './doubt.js'
import type { TruthRule } from './facts.js'
import { datesIn } from '../../values/written-dates.js'

export const datesAreFounded: TruthRule = {
  name: 'dates-are-founded',
  check: (facts, report) => {
    const said = facts.said.flatMap(datesIn).filter((one) => !facts.stands(one.text, 'given'))
    if (said.length === 0) return
    const given = new Set(facts.given.flatMap(datesIn).map((one) => one.iso))
    const examples = new Set(facts.examples.flatMap(datesIn).map((one) => one.iso))
    for (const { iso, text } of said) if (!given.has(iso)) report(() => doubt(examples.has(iso), 'date', text, facts))
  },
}
