<script lang="ts">
  import Mark from '../../../kit/Mark.svelte';
  import { shown } from '../../../kit/numbers';
  import type { Row } from '../../../plant/store.svelte';
  import type { Guard, ScannerWork } from './scannerWork.svelte';
  import { ring, type Point, type Shape } from './shapes';

  /** Situations under the inputs that select them: a small plan each, and which zone each output answers to. */
  let { work }: { work: ScannerWork } = $props();

  const plant = $derived(work.plant);
  const at = $derived<Point>(work.told ? [work.told.at[0]!, work.told.at[1]!] : [0, 0]);
  const W = 84;
  const H = 78;
  const all = $derived([
    at,
    ...work.shapes.flatMap((row) => (row.settings?.points ?? []) as Point[]),
  ]);
  const frame = $derived.by(() => {
    const xs = all.map((p) => p[0]);
    const ys = all.map((p) => p[1]);
    const [left, high] = [Math.min(...xs), Math.max(...ys)];
    const wide = Math.max(Math.max(...xs) - left, 1000);
    const tall = Math.max(high - Math.min(...ys), 1000);
    const scale = Math.min((W - 4) / wide, (H - 4) / tall);
    return { left, high, scale, x: (W - wide * scale) / 2, y: (H - tall * scale) / 2 };
  });
  const path = (line: readonly (readonly number[])[], close = false) =>
    line
      .map(
        (p, n) =>
          `${n ? 'L' : 'M'}${(frame.x + (p[0]! - frame.left) * frame.scale).toFixed(1)},${(frame.y + (frame.high - p[1]!) * frame.scale).toFixed(1)}`,
      )
      .join('') + (close ? 'Z' : '');

  function zonesOf(situation: Row<'situations'>, outputs: readonly Guard[]): Point[][] {
    return outputs.flatMap((guard) => {
      const zone = work.zones.find((one) => one.id === guard.zone);
      const shape = zone && (work.drawn(zone) as Shape | undefined);
      return shape ? [ring(shape, at)] : [];
    });
  }
  function says(guard: Guard): string {
    if (guard.distance == null) return '';
    if (guard.needed == null) return `${shown(Math.floor(guard.distance))} mm`;
    return `${shown(Math.floor(guard.distance))} of ${shown(guard.needed, 5)}`;
  }
</script>

<div>
  <ul aria-label="Situations">
    {#each work.situations as situation (situation.id)}
      {@const told = work.result('situation.told', situation.id)}
      <li class:current={situation.id === work.situation?.id}>
        <button
          class="plain small"
          aria-label="Look at {situation.name}"
          aria-current={situation.id === work.situation?.id ? 'true' : undefined}
          onclick={() => work.open(situation.id)}
        >
          <svg viewBox="0 0 {W} {H}" width={W} height={H} aria-hidden="true">
            <path class="hazard" d={(told?.hazards ?? []).map((one) => path(one, true)).join('')} />
            {#each zonesOf(situation, told?.guards ?? []) as line, n (n)}<path
                class="zone"
                d={path(line, true)}
              />{/each}
            {#each work.shapes as row (row.id)}{#if row.kind === 'wall' || row.kind === 'guard'}<path
                  class="wall"
                  d={path((row.settings?.points ?? []) as Point[])}
                />{/if}{/each}
          </svg>
        </button>
        <div>
          <div class="row">
            <strong title={situation.name}>{situation.name}</strong>
            <span class="inputs mono" title="Its inputs, the first at the left"
              >{#each situation.select.split('') as bit, n (n)}<i class:on={bit === '1'}
                ></i>{/each}</span
            >
            {#if told?.problem}<Mark state="error" word="not selected alone" />{/if}
          </div>
          {#each told?.guards ?? [] as guard (guard.output)}
            <label class="row"
              ><span class="output">Out {guard.output}</span>
              <select
                aria-label="Zone of output {guard.output} in {situation.name}"
                disabled={!plant.mayEdit}
                value={work.used(situation.id, guard.output)}
                onchange={(event) =>
                  void work.use(situation, guard.output, event.currentTarget.value)}
              >
                <option value="">none</option>
                {#each work.zones as zone (zone.id)}<option value={zone.id}>{zone.letter}</option
                  >{/each}
              </select>
              {#if guard.past && guard.zone && guard.needed != null}<Mark
                  state="error"
                  word="passed by"
                />{:else if (guard.short ?? 0) > 0}<span class="mono short"
                  >{shown(Math.ceil(guard.short ?? 0))} mm short</span
                >{:else}<span class="mono quiet" title="mm there, of those that are needed"
                  >{says(guard)}</span
                >{/if}
            </label>
          {/each}
        </div>
      </li>
    {/each}
  </ul>
  {#if plant.mayEdit && work.current}
    <button
      class="plain"
      onclick={() =>
        void work.add(
          { kind: 'add-situation', scanner: work.current?.id ?? '' },
          'Add a situation',
        )}>Add a situation</button
    >
  {/if}
</div>

<style>
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    gap: var(--s3);
  }
  li {
    display: grid;
    grid-template-columns: auto minmax(0, 1fr);
    gap: var(--s4);
    border-left: 3px solid transparent;
    padding-left: var(--s3);
  }
  li.current {
    border-color: var(--heather);
  }
  .small {
    padding: 0;
    height: auto;
  }
  svg {
    background: var(--leaf);
    border: 1px solid var(--rule);
    display: block;
  }
  .hazard {
    fill: var(--ink-3);
    fill-opacity: 0.45;
  }
  .zone {
    fill: var(--tarn);
    fill-opacity: 0.14;
    stroke: var(--tarn);
    stroke-width: 1;
  }
  .wall {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .inputs {
    display: inline-flex;
    gap: var(--s2);
    align-items: center;
  }
  .inputs i {
    width: 8px;
    height: 8px;
    border: 1px solid var(--ink-2);
    border-radius: 50%;
  }
  .inputs i.on {
    background: var(--ink);
  }
  .row {
    gap: var(--s3);
    align-items: center;
    min-height: 24px;
    white-space: nowrap;
  }
  .row strong {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .output {
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  select {
    flex: 0 0 66px;
    font-size: var(--f-note);
  }
  .short {
    color: var(--bracken);
    font-weight: 600;
  }
</style>
