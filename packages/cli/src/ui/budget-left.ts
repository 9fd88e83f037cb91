import { readAmount } from 'dunelight/host'
import type { RunFile } from '@dunelight/node'
import { formatCount } from './context.js'

/** What is left of a run's budget, in words; empty if it has none. */
export function budgetLeft({ definition }: Pick<RunFile, 'definition'>, used: number): string {
  const stated = definition['budget']
  const budget = typeof stated === 'number' || typeof stated === 'string' ? readAmount(String(stated)) : undefined
  if (budget === undefined) return ''
  return used <= budget
    ? ` (${formatCount(budget - used)} of the budget of ${formatCount(budget)} left)`
    : ` (${formatCount(used - budget)} over the budget of ${formatCount(budget)})`
}
