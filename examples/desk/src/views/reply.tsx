import { Button, Group, Select, Textarea } from '@mantine/core'
import { useMemo, useState } from 'react'
import { ProblemError, type Form } from 'dunelight'
import { mockReplies, defined } from 'dunelight/host'
import type { Desk } from '../state/desk.js'
import { ProblemList } from './problem-list.js'
import { Reading } from './reading.js'
import { useDesk } from './use-desk.js'
import './reply.css'

/** A reply, pasted or invented, and its reading: what is filled, what is missing, what is unsupported. */
export function ReplyView({ desk }: { desk: Desk }) {
  const sheet = useDesk(desk, (s) => s.shown.sheet)
  const [text, setText] = useState('')
  const [seed, setSeed] = useState(1)
  const [way, setWay] = useState<string | null>(null)
  const [fault, setFault] = useState<string>()
  const [isMock, setMadeUp] = useState('')
  const { rendering } = sheet
  const form = rendering?.form
  const read = useMemo(() => (rendering && text !== '' ? rendering.read(text) : undefined), [rendering, text])
  const makeUp = () => {
    try {
      setFault(undefined)
      const made = sampled(desk, form, seed, way)
      setText(made)
      setMadeUp(made)
      setSeed(seed + 1)
    } catch (thrown) {
      if (!(thrown instanceof ProblemError)) throw thrown
      setFault(thrown.message)
    }
  }
  if (!rendering) return <ProblemList problems={sheet.problems} onPlace={(place) => desk.editing.jump(place)} />
  return (
    <section className="reply" aria-label="reply">
      <div className="reply-side">
        <Group gap="xs">
          <Button size="compact-xs" onClick={makeUp}>
            Generate a reply
          </Button>
          {form && (
            <Select
              size="xs"
              w={190}
              clearable
              aria-label="malformed in this way"
              placeholder="well-formed"
              data={[
                { group: 'read all the same', items: [...form.ways.repairable] },
                { group: 'wrong', items: [...form.ways.wrong] },
              ]}
              value={way}
              onChange={setWay}
            />
          )}
          {text !== '' && text === isMock && <span className="quiet">mock: invented values</span>}
          {fault !== undefined && <span className="bad">{fault}</span>}
        </Group>
        <Textarea
          className="reply-text"
          aria-label="the model’s reply"
          placeholder="Paste a reply, or generate one."
          dir="auto"
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </div>
      <div className="reply-side" aria-live="polite">
        {!form && <p className="empty">This prompt has no output: a reply is used as it is.</p>}
        {form && !read && <p className="empty">Its answer has the form “{form.name}”. The parsed answer appears here.</p>}
        {form && read && <Reading read={read} form={form} />}
      </div>
    </section>
  )
}

function sampled(desk: Desk, form: Form | undefined, seed: number, way: string | null): string {
  const { record, rendering } = desk.state.shown.sheet
  if (way !== null && form) return form.sample(seed, { as: way }) ?? ''
  const question = {
    prompt: desk.state.selection.wanted.prompt,
    record: defined(record).id,
    values: defined(defined(record).prepared).values,
    fingerprint: defined(rendering).fingerprint,
    form,
  }
  return mockReplies({ seed })(question).text
}
