import { got, http, Problem, type PartResult, type Schemas } from '../../../api/client';
import type { PlantStore } from '../../../plant/store.svelte';
import { router } from '../../../shell/router.svelte';

export type Area = 'in' | 'out';
export type Here = Schemas['ImageHereOut'];
export type Stretch = PartResult<'controller.stretches'>['stretches'][number];
export const ROW = 4;

/** Which octet of which image is looked at, told by the address, and what the server knows of the stretch around it. */
export class ImageWork {
  here = $state.raw<Here | null>(null);
  says = $state('');
  private asked = 0;
  private applied = 0;

  constructor(private readonly plant: PlantStore) {}

  readonly controllers = $derived.by(() => this.plant.list('controllers'));
  readonly controller = $derived.by(() => {
    const named = this.plant.row('controllers', router.parts[4]);
    return named ?? this.controllers[0];
  });
  readonly area: Area = $derived(router.parts[5] === 'out' ? 'out' : 'in');
  readonly stretches = $derived.by(() => {
    const told = this.controller && this.plant.part('controller.stretches', this.controller.id);
    return told?.stretches ?? [];
  });
  readonly inArea = $derived(this.stretches.filter((one) => one.area === this.area));
  readonly octet = $derived(Number(router.parts[6] ?? this.inArea[0]?.offset ?? 0) || 0);
  readonly stretch = $derived(
    this.inArea.find(
      (one) => one.offset <= this.octet && this.octet < one.offset + one.octets + one.padding,
    ),
  );

  /** How many octets an area has with its padding. */
  octetsOf(area: Area): number {
    return Math.max(
      0,
      ...this.stretches.filter((s) => s.area === area).map((s) => s.offset + s.octets + s.padding),
    );
  }

  go(octet: number, area = this.area, controller = this.controller?.id): void {
    if (!controller) return;
    const to = `/p/${this.plant.key}/signals/image/${controller}/${area}/${octet}`;
    router.go(to, { replace: router.parts[3] === 'image' && router.parts.length > 4 });
  }

  /** Move by so many octets, from stretch to stretch; beyond the ends it stays. */
  step(by: number): void {
    const to = Math.min(Math.max(this.octet + by, 0), this.octetsOf(this.area) - 1);
    const there = this.inArea.find((s) => to < s.offset + s.octets + s.padding);
    if (there) this.go(to < there.offset ? there.offset : to);
  }

  async ask(): Promise<void> {
    const number = ++this.asked;
    if (!this.controller || !this.stretch) return void (this.here = null);
    const path = { key: this.plant.key, controller: this.controller.id, area: this.area };
    try {
      const told = got(
        await http.GET('/api/plants/{key}/image/{controller}/{area}', {
          params: { path, query: { octet: this.octet } },
        }),
      );
      if (number < this.applied) return;
      this.applied = number;
      this.here = told;
      this.says = '';
    } catch (error) {
      if (number >= this.applied)
        this.says = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
}
