import { got, http, Problem, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

export type Curve = Schemas['Curve'];
type Bound = 'distance' | 'speed' | 'acceleration';
type Asked = Record<Bound, string | null>;

/**
 * A trial move while it is typed or dragged: the core draws it. One question is on its way at a time, and the next one
 * asks for what is wanted by then.
 */
export class Trial {
  asked = $state.raw<Asked>({ distance: null, speed: null, acceleration: null });
  curve = $state.raw<Curve | null>(null);
  proposal = $state.raw<Schemas['Proposal'] | null>(null);
  /** How far it goes back and forth again before it is measured, for its play. */
  lead = $state(0);
  problem = $state('');
  private asking = false;
  private again = false;

  constructor(
    private readonly plant: PlantStore,
    private readonly axis: string,
  ) {}

  set(bound: Bound, value: string | null): void {
    this.asked = { ...this.asked, [bound]: value };
    void this.ask();
  }

  reset(): void {
    this.asked = { distance: null, speed: null, acceleration: null };
    void this.ask();
  }

  async ask(): Promise<void> {
    this.again = this.asking;
    if (this.asking) return;
    this.asking = true;
    try {
      const path = { key: this.plant.key, axis_id: this.axis };
      const answer = await http.POST('/api/plants/{key}/axes/{axis_id}/trial', {
        params: { path },
        body: this.asked,
      });
      const told = got(answer);
      this.curve = told.curve;
      this.proposal = told.proposal;
      this.lead = told.lead;
      this.problem = '';
    } catch (error) {
      this.problem = error instanceof Problem ? error.detail : '';
    } finally {
      this.asking = false;
    }
    if (this.again) void this.ask();
  }
}

/** Where a curve is at a time: its position, speed and acceleration. */
export function along(curve: Curve, time: number): { p: number; v: number; a: number } {
  const piece = curve.pieces.find((each) => time <= each.at + each.lasts) ?? curve.pieces.at(-1);
  if (!piece) return { p: 0, v: 0, a: 0 };
  const t = Math.min(Math.max(time - piece.at, 0), piece.lasts);
  return {
    p: piece.p + t * (piece.v + t * (piece.a / 2 + (t * piece.j) / 6)),
    v: piece.v + t * (piece.a + (t * piece.j) / 2),
    a: piece.a + t * piece.j,
  };
}
