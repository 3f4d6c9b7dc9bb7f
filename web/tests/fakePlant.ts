import type { DeviceType, Edit } from '../src/api/client';
import { PlantStore, type TableName } from '../src/plant/store.svelte';

type Loose = Record<string, unknown>;

/** A plant in a tab without a server: rows and parts as given, edits kept instead of sent. */
export class FakePlant extends PlantStore {
  readonly made: { edit: Edit; label: string }[] = [];
  tags: Record<string, string> = {};
  refuse: Error | null = null;
  readonly given = new Map<string, unknown>();

  constructor(rows: Partial<Record<TableName, Loose[]>> = {}, types: Loose[] = []) {
    super('plant');
    this.role = 'engineer';
    this.tables = Object.fromEntries(
      Object.entries(rows).map(([name, list]) => [name, new Map(list.map((r) => [r.id, r]))]),
    ) as never;
    for (const type of types) this.known.set(type.key as string, type as unknown as DeviceType);
  }

  private readonly known = new Map<string, DeviceType>();

  override type(key: string) {
    return this.known.get(key);
  }

  override part(name: string, root: string): never {
    return this.given.get(`${name}|${root}`) as never;
  }

  override async edit(edit: Edit, label: string) {
    if (this.refuse) throw this.refuse;
    this.made.push({ edit, label });
    return { tags: this.tags } as never;
  }

  /** The last edit that was made, without its label. */
  get last(): Loose {
    return this.made.at(-1)!.edit as unknown as Loose;
  }
}
