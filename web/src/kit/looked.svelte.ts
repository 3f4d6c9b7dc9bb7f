import { Problem } from '../api/client';

/** Something on the bench that is looked at again and again as long as somebody follows it, and that hands are on. */
export class Looked<T> {
  told = $state.raw<T | null>(null);
  problem = $state('');
  #busy = false;
  readonly #ask: () => Promise<T>;
  readonly #everyMs: number;

  constructor(ask: () => Promise<T>, everyMs = 150) {
    this.#ask = ask;
    this.#everyMs = everyMs;
  }

  /** Look again and again, until what it gives back is called. */
  follow(): () => void {
    const look = async () => {
      if (this.#busy || document.hidden) return;
      this.#busy = true;
      try {
        this.told = await this.#ask();
      } catch {
        this.told = null;
      } finally {
        this.#busy = false;
      }
    };
    void look();
    const timer = window.setInterval(() => void look(), this.#everyMs);
    return () => window.clearInterval(timer);
  }

  /** What a hand did and how it is then, or why not. */
  protected async did(answer: () => Promise<T | null>): Promise<void> {
    try {
      this.told = (await answer()) ?? this.told;
      this.problem = '';
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
}
