import { Alert, Badge, Button, Group, Text, Title } from '@mantine/core'
import { Refusal, type AskedPrompt, type RenderedPrompt } from '@dunelight/client'
import { useEffect, useState } from 'react'
import type { Connection, Prompts } from './prompts.js'
import { GUIDE, type Slip } from './slips.js'

type Reply = Prompts['visitor/answer']['reply']
type Outcome =
  | { readonly kind: 'coming'; readonly text: string }
  | { readonly kind: 'answered'; readonly asked: AskedPrompt<Reply> }
  | { readonly kind: 'refused'; readonly why: string }

interface SlipProps {
  readonly slip: Slip
  readonly connection: Connection
  /** Grows when the wording changes. */
  readonly changes: number
}

/** One slip: the question, its answer as it comes, and what the model is sent for it. */
export function SlipPage({ slip, connection: { service, own }, changes }: SlipProps) {
  const [outcome, setOutcome] = useState<Outcome>()
  const [rendered, setRendered] = useState<RenderedPrompt | string>()
  const values = { slip, guide: GUIDE }
  useEffect(() => {
    own
      .prompt('visitor/answer')
      .render(values)
      .then(setRendered, (fault: unknown) => setRendered(sentenceOf(fault)))
    // The values are those of the slip.
  }, [own, slip, changes])
  const answer = async () => {
    setOutcome({ kind: 'coming', text: '' })
    let text = ''
    try {
      const asked = await service.prompt('visitor/answer').ask(values, {
        onPiece: ({ from, text: piece, partial }) => {
          text = text.slice(0, from) + piece
          const begun = (partial as Partial<Reply> | undefined)?.answer
          setOutcome({ kind: 'coming', text: begun ?? text })
        },
      })
      setOutcome({ kind: 'answered', asked })
    } catch (fault) {
      setOutcome({ kind: 'refused', why: sentenceOf(fault) })
    }
  }
  return (
    <>
      <section>
        <Text size="sm" c="dimmed">
          {`Slip ${slip.no} of ${slip.asked}${slip.room === undefined ? '' : `, room ${slip.room}`}, to the ${slip.to}`}
        </Text>
        <Title order={2} size="h4" my="xs">
          {slip.question}
        </Title>
        <Button onClick={() => void answer()} loading={outcome?.kind === 'coming'}>
          Answer
        </Button>
        <div aria-live="polite">{outcome && <Shown outcome={outcome} />}</div>
      </section>
      <section className="sent" tabIndex={0} aria-label="What the model is sent">
        <Group gap="xs" mb="xs">
          <Title order={3} size="h5">
            What the model is sent
          </Title>
          {typeof rendered === 'object' && (
            <Badge variant="light" tt="none">
              {`edition ${rendered.edition ?? '?'}`}
            </Badge>
          )}
          <Text size="xs" c="dimmed">
            rendered in this page
          </Text>
        </Group>
        {typeof rendered === 'string' && <Alert color="red">{rendered}</Alert>}
        {typeof rendered === 'object' &&
          rendered.turns.map(({ role, text }, i) => (
            <article key={i}>
              <Text size="xs" fw={600} c="dimmed">
                {role}
              </Text>
              <pre className="source">{text}</pre>
            </article>
          ))}
      </section>
    </>
  )
}

function Shown({ outcome }: { readonly outcome: Outcome }) {
  if (outcome.kind === 'refused') return <Alert color="red" mt="md" title="No answer" children={outcome.why} />
  if (outcome.kind === 'coming') return <blockquote className="answer">{outcome.text === '' ? '…' : outcome.text}</blockquote>
  const { answer, edition, model, isMock, unsupported } = outcome.asked
  return (
    <>
      <blockquote className={isMock ? 'answer mock' : 'answer'}>{answer.answer}</blockquote>
      <Group gap="xs">
        <Badge variant={answer['in-the-guide'] ? 'filled' : 'default'} tt="none">
          {answer['in-the-guide'] ? 'in the guide' : 'not in the guide'}
        </Badge>
        {typeof answer['pass-to'] === 'string' && <Badge variant="default" tt="none">{`ask the ${answer['pass-to']}`}</Badge>}
        {isMock && (
          <Badge variant="default" tt="none">
            mock answer
          </Badge>
        )}
        <Text size="xs" c="dimmed">
          {`${model}, edition ${edition ?? 'none'}`}
        </Text>
      </Group>
      {unsupported.map((claim) => (
        <Text key={claim} size="sm" c="orange">
          {claim}
        </Text>
      ))}
    </>
  )
}

function sentenceOf(fault: unknown): string {
  if (fault instanceof Refusal) return fault.message
  return fault instanceof Error ? fault.message : 'it failed'
}
