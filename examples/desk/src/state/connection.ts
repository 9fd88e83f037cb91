import type { Desk } from './desk.js'
import { ServiceFault } from './service.js'

/** Milliseconds between two looks at a server that does not answer. */
const PAUSE = 1500

/** Says that the server is lost, and goes on when it answers again: edits are kept in the page meanwhile. */
export class Connection {
  constructor(private readonly desk: Desk) {
    desk.service.onLost = () => this.lose()
  }

  private lose(): void {
    if (this.desk.state.isLost) return
    this.desk.change({ isLost: true })
    void this.wait()
  }

  private async wait(): Promise<void> {
    for (;;) {
      await new Promise((resolve) => setTimeout(resolve, PAUSE))
      try {
        await this.desk.service.marks()
        break
      } catch (fault) {
        if (!(fault instanceof ServiceFault)) throw fault
      }
    }
    this.desk.change({ isLost: false, note: { message: 'the server answers again', bad: false } })
    await this.desk.editing.lookAgain()
  }
}
