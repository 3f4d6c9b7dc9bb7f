import { got, http, Problem, upload, type Edit, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

export type ReadFile = Schemas['ReadFileOut'];
export type Entry = {
  key: string;
  name: string;
  octets: number;
  state: 'waiting' | 'reading' | 'done' | 'stopped' | 'failed';
  since: number;
  problem: string;
  results: ReadFile[];
};

const AT_ONCE = 2;

/** Files on their way into the plant: read two at a time, each can be stopped; what is new joins by one edit. */
export class Tray {
  entries = $state.raw<Entry[]>([]);
  private readonly files = new Map<string, File>();
  private readonly aborts = new Map<string, AbortController>();

  constructor(private readonly plant: PlantStore) {}

  get busy(): boolean {
    return this.entries.some((e) => e.state === 'waiting' || e.state === 'reading');
  }

  get doneCount(): number {
    return this.entries.filter((e) => e.state !== 'waiting' && e.state !== 'reading').length;
  }

  add(files: Iterable<File>): void {
    for (const file of files) {
      const key = crypto.randomUUID();
      this.files.set(key, file);
      this.entries = [
        ...this.entries,
        {
          key,
          name: file.name,
          octets: file.size,
          state: 'waiting',
          since: Date.now(),
          problem: '',
          results: [],
        },
      ];
    }
    this.next();
  }

  /** Something that was read by other means than dropping: a sheet, a file read anew. */
  async take(name: string, results: ReadFile[]): Promise<void> {
    const entry: Entry = {
      key: crypto.randomUUID(),
      name,
      octets: 0,
      state: 'done',
      since: Date.now(),
      problem: '',
      results,
    };
    this.entries = [...this.entries, entry];
    await this.join(results);
  }

  clear(): void {
    this.entries = this.entries.filter((e) => e.state === 'waiting' || e.state === 'reading');
  }

  stop(key: string): void {
    this.set(key, { state: 'stopped', problem: 'Stopped.' });
    this.aborts.get(key)?.abort();
    const path = { params: { path: { key: this.plant.key, reading: key } } };
    void http.DELETE('/api/plants/{key}/readings/{reading}', path).catch(() => {});
    this.next();
  }

  private set(key: string, change: Partial<Entry>): void {
    this.entries = this.entries.map((e) => (e.key === key ? { ...e, ...change } : e));
  }

  private next(): void {
    const running = this.entries.filter((e) => e.state === 'reading').length;
    const waiting = this.entries.filter((e) => e.state === 'waiting');
    for (const entry of waiting.slice(0, Math.max(AT_ONCE - running, 0))) void this.read(entry.key);
  }

  private async read(key: string): Promise<void> {
    const file = this.files.get(key);
    if (!file) return;
    this.set(key, { state: 'reading', since: Date.now() });
    const abort = new AbortController();
    this.aborts.set(key, abort);
    try {
      const path = `/api/plants/${this.plant.key}/files?reading=${key}`;
      const results = await upload<ReadFile[]>(path, file, abort.signal);
      const refused = results.every((r) => r.refused);
      this.set(key, { state: refused ? 'failed' : 'done', results });
      await this.join(results);
    } catch (error) {
      if (!abort.signal.aborted) {
        const problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
        this.set(key, { state: 'failed', problem });
      }
    } finally {
      this.files.delete(key);
      this.aborts.delete(key);
      this.next();
    }
  }

  /** What is new here joins the plant at once; a revision of something known waits for a decision. */
  private async join(results: ReadFile[]): Promise<void> {
    const pins = results.flatMap((r) =>
      r.devices.filter((d) => d.state === 'new').map((d) => d.pin),
    );
    if (!pins.length) return;
    const names = results.flatMap((r) => r.devices.map((d) => d.name));
    await this.plant
      .edit(
        { kind: 'add-types', types: pins },
        `Take in ${names[0]}${names.length > 1 ? ' …' : ''}`,
      )
      .catch(() => {});
  }
}

/** The edit that keeps a new revision beside the old one, or moves these stations to it. */
export function revisionEdit(device: Schemas['ReadDeviceOut'], stations: string[]): Edit {
  const add = { kind: 'add-types' as const, types: [device.pin] };
  if (!stations.length) return add;
  return {
    kind: 'batch',
    edits: [add, { kind: 'change-type', ids: stations, type: device.key }],
  };
}

/** Read a kept file again with today's reader. */
export async function readAnew(plant: PlantStore, sha256: string): Promise<ReadFile[]> {
  const path = { params: { path: { key: plant.key, sha256 } } };
  return got(await http.POST('/api/plants/{key}/files/{sha256}/anew', path));
}
