import type { Edit, PartResult } from '../../api/client';
import type { PlantStore, Row } from '../../plant/store.svelte';
import { router } from '../../shell/router.svelte';

export type FunctionTold = PartResult<'function.told'>;
export type Segment = FunctionTold['logic'];
export type Due = PartResult<'function.proofs'>['due'][number];
export type Lane = FunctionTold['sensors'][number];

/** The safety function that is worked on, and what can be done with it. */
export class SafetyWork {
  constructor(
    readonly plant: PlantStore,
    private readonly wanted: () => string,
    private readonly chosenId: () => string,
  ) {}

  functions = $derived.by(() => {
    const order = new Map(this.plant.list('controllers').map((c, n) => [c.id, n]));
    return [...this.plant.list('functions')].sort(
      (a, b) => (order.get(a.controller) ?? 0) - (order.get(b.controller) ?? 0),
    );
  });
  current = $derived.by(() => this.plant.row('functions', this.wanted()) ?? this.functions[0]);
  parts = $derived.by(() =>
    this.current
      ? this.plant.list('safety_parts', 'function', this.current.id)
      : ([] as Row<'safety_parts'>[]),
  );
  chosen = $derived.by(() => this.parts.find((part) => part.id === this.chosenId()));
  /** Controllers with a safe part. */
  controllers = $derived.by(() =>
    this.plant.list('controllers').filter((one) => this.plant.type(one.type)?.safe),
  );

  open(id: string, part = ''): void {
    const path = `/p/${this.plant.key}/safety/${id}${part ? `/${part}` : ''}`;
    router.go(path, { replace: part !== '' || id === this.current?.id });
  }

  async addFunction(controller: string): Promise<void> {
    const edit: Edit = { kind: 'add-safety-function', controller, tag: '$f' };
    const answer = await this.plant.edit(edit, 'Add a safety function').catch(() => null);
    const made = answer?.tags['$f'];
    if (made) this.open(made);
  }

  /** The chosen part, or with none of them the function itself. */
  async remove(): Promise<void> {
    const own = this.current;
    if (!own) return;
    const part = this.chosen;
    const onward = router.onward();
    const label = part ? `Remove ${part.name} of ${own.name}` : `Remove ${own.name}`;
    await this.plant.edit({ kind: 'remove', ids: [part?.id ?? own.id] }, label).catch(() => {});
    onward(`/p/${this.plant.key}/safety${part ? `/${own.id}` : ''}`);
  }

  /** The signal in a role of the function, or of one of its actuators. */
  used(of: string, role: string): string {
    return this.plant.list('uses', 'of', of).find((use) => use.role === role)?.signal ?? '';
  }

  async use(of: string, role: string, signal: string, label: string): Promise<void> {
    const edit: Edit = { kind: 'use-signal', of, role, signal: signal || null };
    await this.plant.edit(edit, label).catch(() => {});
  }

  set(path: string, value: unknown, label: string): void {
    const own = this.current;
    if (!own) return;
    const edit: Edit = { kind: 'set', ids: [own.id], values: { [path]: value } };
    void this.plant.edit(edit, `${own.name}: ${label}`).catch(() => {});
  }
}
