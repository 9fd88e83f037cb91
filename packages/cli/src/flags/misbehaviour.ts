import { MISBEHAVIOURS, nearest, type Misbehaviour, type StandInOptions } from 'dunelight/host'
import { WrongUse } from '../ui/context.js'

/** `busy=10%,empty=0.05`: the share of answers that misbehave in each way. */
export function readMisbehaviour(said: string): NonNullable<StandInOptions['misbehave']> {
  const known = Object.keys(MISBEHAVIOURS) as Misbehaviour[]
  const shares = said.split(',').map((part) => {
    const [, name = '', digits, percent] = /^\s*([a-z0-9-]+)\s*=\s*(\d+(?:\.\d+)?)\s*(%?)\s*$/.exec(part) ?? []
    const way = known.find((one) => one === name)
    if (digits === undefined) throw new WrongUse(`"${part.trim()}" is no share of answers`, 'write --misbehave busy=10%,empty=5%')
    if (!way) {
      const near = nearest(name, known)
      throw new WrongUse(`the stand-in cannot misbehave by "${name}"`, near ? `did you mean "${near}"?` : `ways: ${known.join(', ')}`)
    }
    return [way, Number(digits) / (percent === '' ? 1 : 100)] as const
  })
  if (shares.reduce((sum, [, share]) => sum + share, 0) > 1 + 1e-9)
    throw new WrongUse(`"${said}" is more than all answers`, 'the shares add up to 100 % at most')
  return Object.fromEntries(shares)
}
