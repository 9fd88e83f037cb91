import { useNumber } from './use-desk.js'
import './bars.css'

interface BarsProps {
  readonly title: string
  readonly bars: readonly { readonly name: string; readonly value: number }[]
}

/** Counts as bars below each other, each with its name and number. */
export function Bars({ title, bars }: BarsProps) {
  const number = useNumber()
  const most = Math.max(1, ...bars.map(({ value }) => value))
  return (
    <figure className="bars" aria-label={title}>
      <figcaption>{title}</figcaption>
      {bars.map(({ name, value }) => (
        <div key={name} className="bar-line">
          <span className="bar-name">{name}</span>
          <svg className="bar-track" viewBox="0 0 100 10" preserveAspectRatio="none" aria-hidden="true">
            <rect x="0" y="1" width={(value / most) * 100} height="8" />
          </svg>
          <span className="bar-value">{number(value)}</span>
        </div>
      ))}
    </figure>
  )
}
