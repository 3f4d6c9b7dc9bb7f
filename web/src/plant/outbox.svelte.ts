import { Problem, Unreachable, type EditAnswer, type Overlap } from '../api/client';

type Send = () => Promise<EditAnswer>;
type Rest = (() => Promise<void>) | null;
type Unsent = { label: string; since: Date; retry: () => Promise<void> };
/** An undo that meets what others did meanwhile; `rest` undoes what does not. */
export type Conflict = { label: string; overlaps: Overlap[]; rest: Rest };

/** What the plant makes of how an edit fared. */
interface Told {
  answered(answer: EditAnswer): void;
  refused(problem: Problem): void;
  /** The server did not answer. */
  away(): void;
}

const RETRY_MS = 2000;

/** Edits on their way: sent, and sent again with the same key until the server has answered. */
export class Outbox {
  conflict = $state.raw<Conflict | null>(null);
  unsent = $state.raw<Unsent[]>([]);

  constructor(private readonly told: Told) {}

  /** Send an edit; null when it waits or meets a conflict. Throws the problem when it was refused. */
  async send(
    label: string,
    send: Send,
    rest: Rest = null,
    waiting: Unsent | null = null,
  ): Promise<EditAnswer | null> {
    // What waited is no longer unsent once it is answered, whatever the answer says.
    const answered = () => (this.unsent = this.unsent.filter((other) => other !== waiting));
    try {
      const answer = await send();
      answered();
      this.told.answered(answer);
      return answer;
    } catch (error) {
      if (error instanceof Unreachable) {
        this.retryLater(waiting ?? this.keep(label, send, rest));
        return null;
      }
      answered();
      if (error instanceof Problem && error.status === 409) {
        this.conflict = { label, overlaps: error.overlaps, rest };
        return null;
      }
      if (error instanceof Problem) this.told.refused(error);
      throw error;
    }
  }

  private keep(label: string, send: Send, rest: Rest): Unsent {
    const entry: Unsent = {
      label,
      since: new Date(),
      retry: async () => {
        await this.send(label, send, rest, entry).catch(() => {});
      },
    };
    this.unsent = [...this.unsent, entry];
    return entry;
  }

  private retryLater(entry: Unsent): void {
    this.told.away();
    window.setTimeout(() => void entry.retry(), RETRY_MS);
  }
}
