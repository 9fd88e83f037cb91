import { Button, Group, NumberInput, Switch } from '@mantine/core'
import { useEffect, useState } from 'react'
import { MOST_VARIANTS } from '../state/asking.js'
import type { Desk } from '../state/desk.js'
import { AskHistory } from './ask-history.js'
import { ProblemList } from './problem-list.js'
import { SheetView } from './sheet.js'
import { VariantColumn } from './variant.js'
import { useDesk } from './use-desk.js'
import './ask.css'

/** The chosen record before a model: what is sent, and beside it the reply as it comes; or several replies beside each other. */
export function AskView({ desk }: { desk: Desk }) {
  const { variants, models } = useDesk(desk, (s) => s.asking)
  const sheet = useDesk(desk, (s) => s.shown.sheet)
  const [differences, setDifferences] = useState(true)
  const [prompt, setPrompt] = useState(true)
  useEffect(() => void desk.asking.readModels(), [desk])
  const isSheetShown = prompt && variants.length === 1
  const isBusy = variants.some(({ state }) => state === 'asking')
  return (
    <section className="ask" aria-label="ask a model">
      <Group gap="xs" className="ask-tools">
        <Button size="compact-xs" disabled={!sheet.record?.prepared || isBusy} onClick={() => void desk.asking.askAll()}>
          {variants.length > 1 ? `Ask all ${variants.length}` : 'Ask'} <kbd>Ctrl+Enter</kbd>
        </Button>
        <Button size="compact-xs" variant="default" disabled={variants.length >= MOST_VARIANTS} onClick={() => desk.asking.add()}>
          Add a variant
        </Button>
        {variants.length > 1 ? (
          <Switch
            size="xs"
            label="differences from the first"
            checked={differences}
            onChange={(event) => setDifferences(event.currentTarget.checked)}
          />
        ) : (
          <Switch size="xs" label="prompt" checked={prompt} onChange={(event) => setPrompt(event.currentTarget.checked)} />
        )}
        <span className="spring" />
        {models && <Session desk={desk} />}
      </Group>
      {!sheet.record?.prepared && <ProblemList problems={sheet.problems} onPlace={(place) => desk.editing.jump(place)} />}
      <div
        className="ask-columns"
        style={{ gridTemplateColumns: `repeat(${variants.length + (isSheetShown ? 1 : 0)}, minmax(340px, 1fr))` }}
      >
        {isSheetShown && <SheetView desk={desk} />}
        {variants.map((variant, i) => (
          <VariantColumn
            key={variant.id}
            desk={desk}
            variant={variant}
            number={i + 1}
            isOnly={variants.length === 1}
            against={i > 0 && differences ? variants[0] : undefined}
          />
        ))}
      </div>
      <AskHistory desk={desk} />
    </section>
  )
}

/** How many requests the page may still send. */
function Session({ desk }: { desk: Desk }) {
  const session = useDesk(desk, (s) => s.asking.models?.session)
  const [isOpen, setOpen] = useState(false)
  if (!session) return null
  const left = Math.max(0, session.most - session.sent)
  return (
    <Group gap={6} className="session">
      <button type="button" className={left === 0 ? 'to-row bad' : 'to-row'} aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
        {left} of {session.most} requests left
      </button>
      {isOpen && (
        <NumberInput
          size="xs"
          w={100}
          min={0}
          allowDecimal={false}
          aria-label="requests of this session"
          value={session.most}
          onChange={(value) => typeof value === 'number' && void desk.asking.allow(value)}
        />
      )}
    </Group>
  )
}
