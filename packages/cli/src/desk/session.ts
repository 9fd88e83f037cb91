import { problem } from 'dunelight/host'
import { type ReadyModel } from '@dunelight/node'
import { ModelUnreachable } from '@dunelight/node/host'

/** What the desk may send to models until it is stopped: nobody pays for a page that was left open. */
export class Session {
  private sent = 0

  constructor(private most: number) {}

  get state(): { readonly sent: number; readonly most: number } {
    return { sent: this.sent, most: this.most }
  }

  get left(): number {
    return Math.max(0, this.most - this.sent)
  }

  allow(most: number): void {
    this.most = most
  }

  /** The model, with every request of it counted; one too many ends what asks it. The mock costs nothing, and is not counted. */
  counted(model: ReadyModel): ReadyModel {
    if (model.isMock) return model
    return {
      ...model,
      model: (request, call) => {
        if (this.left === 0) throw new ModelUnreachable([problem('session-spent', { most: this.most })])
        this.sent++
        return model.model(request, call)
      },
    }
  }
}
