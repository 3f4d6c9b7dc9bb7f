import { Problem, type Edit, type EditAnswer } from '../api/client';
import type { PlantStore } from '../plant/store.svelte';

/** What every form that makes something does: try it out while it is filled in, make it, say why not, leave. */
export class Making {
  problem = $state.raw<Problem | null>(null);
  private timer = 0;

  constructor(
    private readonly plant: PlantStore,
    private readonly edit: () => Edit,
  ) {}

  /** Show what it would bring, once typing rests. */
  changed(label: string): void {
    this.problem = null;
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.plant.tryOut(this.edit(), label), 120);
  }

  /** Make it; null where it is refused, and `problem` then says why. */
  async make(label: string): Promise<EditAnswer | null> {
    window.clearTimeout(this.timer);
    try {
      return (await this.plant.edit(this.edit(), label)) ?? null;
    } catch (error) {
      this.problem = error instanceof Problem ? error : null;
      return null;
    }
  }

  /** Nothing came of it. */
  leave(then: () => void): void {
    window.clearTimeout(this.timer);
    this.plant.endPreview();
    then();
  }
}
