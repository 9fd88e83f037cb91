import { Button, CloseButton, Group, Loader, Select, TextInput } from '@mantine/core'
import { useMemo } from 'react'
import { endedNow } from 'dunelight/host'
import type { AskedRecord } from '../state/asked.js'
import type { Variant } from '../state/asking.js'
import type { Desk } from '../state/desk.js'
import { EDITED, otherWordings, settingsIn } from '../state/wordings.js'
import { claimText, Reading } from './reading.js'
import { ReplyText } from './reply-text.js'
import { useDesk, useNumber } from './use-desk.js'

interface VariantProps {
  readonly desk: Desk
  readonly variant: Variant
  readonly number: number
  readonly isOnly: boolean
  /** The variant that its reply is compared with. */
  readonly against: Variant | undefined
}

/** One way of asking, and the reply that came of it for the chosen record. */
export function VariantColumn({ desk, variant, number, isOnly, against }: VariantProps) {
  const { id, state, of } = variant
  const sheet = useDesk(desk, (s) => s.shown.sheet)
  const models = useDesk(desk, (s) => s.asking.models)
  const library = useDesk(desk, (s) => s.shown.library)
  const prompt = useDesk(desk, (s) => s.selection.wanted.prompt)
  const committed = useDesk(desk, (s) => s.library.committed)
  const wordings = useMemo(() => [EDITED, ...otherWordings(desk)], [desk, library, prompt, committed])
  const isOther = of !== undefined && of !== desk.asking.subject
  const isWrong = variant.settings.trim() !== '' && settingsIn(variant.settings) === undefined
  return (
    <article className="variant" aria-label={`variant ${number}`}>
      <Group gap={6} className="variant-head" wrap="nowrap">
        <Select
          size="xs"
          aria-label={`model of variant ${number}`}
          data={(models?.models ?? []).map(({ name }) => name)}
          value={variant.model ?? models?.usual ?? null}
          allowDeselect={false}
          onChange={(model) => model !== null && desk.asking.choose(id, { model })}
        />
        <Select
          size="xs"
          aria-label={`wording of variant ${number}`}
          data={wordings.map(({ value, label }) => ({ value, label }))}
          value={desk.asking.wordingOf(variant).value}
          allowDeselect={false}
          onChange={(wording) => wording !== null && desk.asking.choose(id, { wording })}
        />
        <TextInput
          size="xs"
          aria-label={`settings of variant ${number}`}
          placeholder="temperature: 0.2"
          error={isWrong}
          value={variant.settings}
          onChange={(event) => desk.asking.choose(id, { settings: event.currentTarget.value })}
        />
        {!isOnly && <CloseButton size="sm" aria-label={`remove variant ${number}`} onClick={() => desk.asking.remove(id)} />}
      </Group>
      <Group gap={6} className="variant-tools">
        {state === 'asking' ? (
          <Button size="compact-xs" variant="default" onClick={() => desk.asking.cancel(id)}>
            Cancel
          </Button>
        ) : (
          <>
            <Button size="compact-xs" variant="default" disabled={!sheet.record?.prepared} onClick={() => void desk.asking.ask(id)}>
              Ask
            </Button>
            <Button
              size="compact-xs"
              variant="default"
              disabled={!sheet.record?.prepared || !variant.asked || isOther}
              onClick={() => void desk.asking.ask(id, 'again')}
            >
              Again
            </Button>
          </>
        )}
        <Status variant={variant} isOther={isOther} desk={desk} />
      </Group>
      <div className={isOther ? 'variant-body stale' : 'variant-body'}>
        <Reply desk={desk} variant={variant} against={against?.text} />
      </div>
      {variant.asked && <Figures asked={variant.asked} />}
    </article>
  )
}

function Status({ desk, variant, isOther }: { desk: Desk; variant: Variant; isOther: boolean }) {
  const { state, asked, retry } = variant
  const similar = asked && desk.asking.similarTo(asked)
  return (
    <span className="variant-state" role="status" aria-live="polite">
      {state === 'asking' && (
        <>
          <Loader size={12} /> {retry === undefined ? 'asking …' : `asking once more: ${retry}`}
        </>
      )}
      {state === 'cancelled' && 'cancelled'}
      {(state === 'failed' || (state === 'done' && asked?.text === undefined)) && <span className="bad">✕ no answer</span>}
      {state === 'done' && asked?.isMock && <span className="mock">mock</span>}
      {state === 'done' && asked?.cached && (
        <>
          cached: nothing was sent{' '}
          <button type="button" className="to-row" onClick={() => void desk.asking.ask(variant.id, 'fresh')}>
            ask anew
          </button>
        </>
      )}
      {similar && <span className="bad">nearly the same as the reply of {timeOf(similar.at)}</span>}
      {isOther && ' the reply is of another record'}
    </span>
  )
}

/** The reply, read as it comes. */
function Reply({ desk, variant, against }: { desk: Desk; variant: Variant; against: string | undefined }) {
  const shown = useDesk(desk, (s) => s.shown)
  const { text, state, problems } = variant
  const coming = state === 'asking'
  const { rendering } = useMemo(() => desk.asking.sheet(variant), [desk, shown, variant.wording, variant.settings])
  const read = useMemo(
    () => (rendering && text !== '' ? rendering.read(coming ? endedNow(text) : text) : undefined),
    [rendering, text, coming],
  )
  const claims = useMemo(() => (read && !coming ? read.unsupported.flatMap((p) => claimText(p) ?? []) : []), [read, coming])
  const own = problems.filter(({ code, message }) => code === 'screen-found' || !read?.problems.some((p) => p.message === message))
  return (
    <>
      {own.map(({ code, message, severity, hint }, i) => (
        <p key={i} data-code={code} className={severity === 'info' ? 'quiet' : 'bad'} role={severity === 'info' ? undefined : 'alert'}>
          {message}
          {hint === undefined ? '' : ` (${hint})`}
        </p>
      ))}
      {text !== '' && (
        <ReplyText
          text={text}
          claims={claims}
          {...(rendering && { masked: rendering.masked })}
          against={against === '' || coming ? undefined : against}
        />
      )}
      {rendering?.form && read && <Reading read={read} form={rendering.form} coming={coming} />}
      {text === '' && state === 'idle' && <p className="empty">Ask, and the reply appears here as it comes.</p>}
    </>
  )
}

/** Tokens, time, cost, and how the reply ended. */
export function Figures({ asked }: { asked: AskedRecord }) {
  const number = useNumber()
  const { usage, seconds, cost, finish, requests, candidate } = asked
  const words = [
    ...(usage ? [`${number(usage.sent)} tokens sent, ${number(usage.received)} received`] : []),
    `${seconds < 10 ? seconds.toFixed(1) : Math.round(seconds)} s`,
    ...(cost === undefined ? [] : [cost]),
    ...(finish === undefined ? [] : [finish === 'cut-off' ? 'cut off by a limit' : finish === 'refused' ? 'refused' : 'complete']),
    ...(requests > 1 ? [`${requests - 1} corrections`] : []),
    ...(candidate > 1 ? [`answer ${candidate}`] : []),
  ]
  return <p className="figures">{words.join(' · ')}</p>
}

export function timeOf(at: string): string {
  return new Date(at).toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit' })
}
