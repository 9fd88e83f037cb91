import { MOCK_FAULTS, nearest, type MockFault, type MockOptions } from 'dunelight/host'
import { WrongUse } from '../ui/context.js'

/** `busy=10%,empty=0.05`: the share of answers that have each fault. */
export function readMockFaults(stated: string): NonNullable<MockOptions['faults']> {
  const known = Object.keys(MOCK_FAULTS) as MockFault[]
  const shares = stated.split(',').map((part) => {
    const [, name = '', digits, percent] = /^\s*([a-z0-9-]+)\s*=\s*(\d+(?:\.\d+)?)\s*(%?)\s*$/.exec(part) ?? []
    const way = known.find((text) => text === name)
    if (digits === undefined) throw new WrongUse(`"${part.trim()}" is not a share such as busy=10%`, 'write --faults busy=10%,empty=5%')
    if (!way) {
      const near = nearest(name, known)
      throw new WrongUse(`unknown fault "${name}"`, near ? `did you mean "${near}"?` : `ways: ${known.join(', ')}`)
    }
    return [way, Number(digits) / (percent === '' ? 1 : 100)] as const
  })
  if (shares.reduce((sum, [, share]) => sum + share, 0) > 1 + 1e-9)
    throw new WrongUse(`the shares in "${stated}" are more than 100%`, 'the shares add up to 100 % at most')
  return Object.fromEntries(shares)
}
