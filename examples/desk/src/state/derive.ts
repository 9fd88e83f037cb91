import type { Library } from 'dunelight'
import { EMPTY, sheetOf } from '../model/sheet.js'
import { Subject, type Opener } from '../model/subject.js'
import { editedFiles, hasRows, type PageState, type ShownState } from './page-state.js'

/** What is shown in a state: only what depends on a changed part is made again. */
export function derive(opener: Opener, now: Omit<PageState, 'shown'>, before: PageState): ShownState {
  const library = openedLibrary(opener, now, before)
  // Until the chosen table has arrived, the sheet before it stays.
  if (now.table.reading) return library === before.shown.library ? before.shown : { ...before.shown, library }
  const subject = subjectIn(library, now, before)
  const { row } = now.selection
  const sheetIsSame =
    !before.table.reading && subject === before.shown.subject && row === before.selection.row && now.editing.hand === before.editing.hand
  if (sheetIsSame) return library === before.shown.library ? before.shown : { ...before.shown, library }
  const sheet = subject ? sheetOf(subject, row, now.editing.hand, hasRows(now.table)) : EMPTY
  return { library, subject, sheet, before: sheet.rendering ? undefined : lastGood(now, before) }
}

function openedLibrary(opener: Opener, now: Omit<PageState, 'shown'>, before: PageState): Library {
  const { files, data, exact } = now.library
  const isSame = files === before.library.files && data === before.library.data && exact === before.library.exact
  return isSame ? before.shown.library : opener.open(files, data)
}

function subjectIn(library: Library, now: Omit<PageState, 'shown'>, before: PageState): Subject | undefined {
  const { table, joined } = now.table
  const { wanted } = now.selection
  const isSame =
    !before.table.reading &&
    library === before.shown.library &&
    table === before.table.table &&
    joined === before.table.joined &&
    wanted === before.selection.wanted &&
    before.shown.subject !== undefined
  if (isSame) return before.shown.subject
  return wanted.prompt === '' ? undefined : new Subject(library, wanted, table, joined)
}

/** While an edited text has an error, the sheet before it stays visible, if it was of the same record. */
function lastGood(now: Omit<PageState, 'shown'>, before: PageState): ShownState['before'] {
  const isSameRecord =
    now.selection.wanted.prompt === before.selection.wanted.prompt &&
    now.selection.row === before.selection.row &&
    now.table.table === before.table.table &&
    (now.editing.hand === undefined) === (before.editing.hand === undefined)
  if (!isSameRecord || editedFiles(now.library).length === 0) return undefined
  return before.shown.sheet.rendering ?? before.shown.before
}
