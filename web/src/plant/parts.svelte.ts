import { SvelteMap } from 'svelte/reactivity';
import type { Part, PartName, PartResult } from '../api/client';

type Want = [part: string, root: string];

const AT_ONCE = 500;

/**
 * The parts of the analysis a tab has seen. What is read and not there yet is asked for, together with all else that is
 * read in the same moment; a part that arrives wakes those who read it, and nobody else.
 */
export class Parts {
  readonly #held = new SvelteMap<string, Part>();
  readonly #wanted = new Set<string>();
  /** Keys on their way, each with the number of the request that is the newest for it. */
  readonly #asking = new Map<string, number>();
  readonly #ask: (want: Want[]) => Promise<Part[]>;
  #count = 0;
  #scheduled = false;

  constructor(ask: (want: Want[]) => Promise<Part[]>) {
    this.#ask = ask;
  }

  /** A part's result; undefined until it has come. */
  get<K extends PartName>(name: K, root: string): PartResult<K> | undefined {
    const key = `${name}|${root}`;
    const held = this.#held.get(key);
    if (!held && !this.#wanted.has(key) && !this.#asking.has(key)) this.#want([key]);
    return (held?.result ?? undefined) as PartResult<K> | undefined;
  }

  /** Ask anew for those of these that somebody has looked at. */
  renew(keys: Iterable<string>): void {
    this.#want([...keys].filter((key) => this.#held.has(key) || this.#asking.has(key)));
  }

  /** Ask anew for everything that somebody has looked at. */
  renewAll(): void {
    this.renew([...this.#held.keys(), ...this.#asking.keys()]);
  }

  #want(keys: string[]): void {
    for (const key of keys) this.#wanted.add(key);
    if (this.#scheduled || !this.#wanted.size) return;
    this.#scheduled = true;
    queueMicrotask(() => void this.#fetch());
  }

  async #fetch(): Promise<void> {
    this.#scheduled = false;
    const number = ++this.#count;
    const keys = [...this.#wanted].slice(0, AT_ONCE);
    for (const key of keys) {
      this.#wanted.delete(key);
      this.#asking.set(key, number);
    }
    this.#want([]);
    // Without the server there is nothing newer to show; all is asked for again when it is back.
    const parts = await this.#ask(keys.map((key) => key.split('|') as Want)).catch(() => null);
    const come = new Map(parts?.map((part) => [`${part.part}|${part.root}`, part]));
    for (const key of keys) {
      // Asked for again meanwhile: the later answer is the one that counts.
      if (this.#asking.get(key) !== number) continue;
      this.#asking.delete(key);
      const part = come.get(key);
      if (part) this.#held.set(key, part);
      else if (parts) this.#held.delete(key);
    }
  }
}
