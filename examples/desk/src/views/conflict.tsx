import { Button, Group, Modal } from '@mantine/core'
import { diffLines } from 'diff'
import type { Desk } from '../state/desk.js'
import { useDesk } from './use-desk.js'
import { useFocusBack } from './focus-back.js'
import './conflict.css'

/** Another program has written the file that was edited here: both texts are shown, and nothing is overwritten without a question. */
export function ConflictDialog({ desk }: { desk: Desk }) {
  const conflict = useDesk(desk, (s) => s.library.conflict)
  const files = useDesk(desk, (s) => s.library.files)
  useFocusBack(conflict !== undefined)
  if (!conflict) return null
  const { path, theirs, mark } = conflict
  return (
    <Modal
      opened
      returnFocus={false}
      onClose={() => desk.editing.decideLater()}
      title={`${path} was changed on the disk meanwhile`}
      size="xl"
      closeButtonProps={{ 'aria-label': 'close' }}
    >
      <p>
        Marked with <ins>+</ins> is your version, with <del>−</del> the version on the disk.
      </p>
      <pre className="conflict">
        {theirs === null
          ? 'The file no longer exists.'
          : diffLines(theirs, files[path] ?? '').map((part, i) =>
              part.added ? (
                <ins key={i}>{prefixed(part.value, '+ ')}</ins>
              ) : part.removed ? (
                <del key={i}>{prefixed(part.value, '− ')}</del>
              ) : (
                <span key={i}>{prefixed(part.value, '  ')}</span>
              ),
            )}
      </pre>
      <Group justify="flex-end">
        <Button variant="default" onClick={() => desk.editing.decideLater()}>
          Decide later
        </Button>
        <Button variant="default" onClick={() => desk.editing.takeTheirs(path, theirs, mark)}>
          Use the version on the disk
        </Button>
        <Button onClick={() => void desk.editing.save(path, mark)}>Overwrite with mine</Button>
      </Group>
    </Modal>
  )
}

function prefixed(text: string, mark: string): string {
  return text.replace(/^(?=[^])/gm, mark)
}
