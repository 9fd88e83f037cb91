import { doubt } from './doubt.js'
import type { TruthRule } from './facts.js'
import { datesIn } from '../../values/written-dates.js'

export const datesAreFounded: TruthRule = {
  name: 'dates-are-founded',
  check: (facts, report) => {
    const stated = facts.prose.flatMap(datesIn).filter((item) => !facts.stands(item.text, 'sources'))
    if (stated.length === 0) return
    const sources = new Set(facts.sources.flatMap(datesIn).map((item) => item.iso))
    const examples = new Set(facts.examples.flatMap(datesIn).map((item) => item.iso))
    for (const { iso, text } of stated) if (!sources.has(iso)) report(() => doubt(examples.has(iso), 'date', text, facts))
  },
}
