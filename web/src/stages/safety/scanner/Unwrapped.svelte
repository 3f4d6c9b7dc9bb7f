<script lang="ts">
  import { shown } from '../../../kit/numbers';
  import type { ScannerWork } from './scannerWork.svelte';
  import { DASHES } from './shapes';

  /** All around unwrapped: bearing along, millimetres up. How far zones go, how far they have to, where walls are. */
  let { work }: { work: ScannerWork } = $props();

  const WIDTH = 860;
  const HEIGHT = 190;
  const LEFT = 44;
  const FOOT = 18;
  const told = $derived(
    work.situation ? work.result('situation.unwrapped', work.situation.id) : undefined,
  );
  const guards = $derived(
    (work.situation && work.result('situation.told', work.situation.id)?.guards) || [],
  );
  const count = $derived(told?.contour.length ?? 1);
  const top = $derived((told?.range ?? 1000) * 1.05);
  const x = (n: number) => LEFT + (n * (WIDTH - LEFT)) / Math.max(1, count - 1);
  const y = (mm: number) => HEIGHT - FOOT - (Math.min(mm, top) * (HEIGHT - FOOT - 6)) / top;
  const line = (values: readonly (number | null)[]) => {
    let d = '';
    let pen = false;
    values.forEach((value, n) => {
      if (value == null) {
        pen = false;
        return;
      }
      d += `${pen ? 'L' : 'M'}${x(n).toFixed(1)},${y(value).toFixed(1)}`;
      pen = true;
    });
    return d;
  };
  const under = (values: readonly number[]) =>
    `${line(values)}L${x(count - 1)},${y(0)}L${x(0)},${y(0)}Z`;
  const missing = (values: readonly number[]) => values.map((v) => (v > 0 ? v : null));
  const marks = $derived.by(() => {
    if (!told) return [];
    const found = [];
    for (let n = 0; n < count; n++) {
      const bearing = told.begins + n * told.step;
      if (Math.round(bearing) % 30 === 0)
        found.push({ n, text: `${((Math.round(bearing) % 360) + 360) % 360}°` });
    }
    return found;
  });
  const steps = $derived(
    Array.from({ length: Math.floor((told?.range ?? 0) / 1000) }, (_, n) => (n + 1) * 1000),
  );
  const zoneOf = (output: number) => {
    const id = guards.find((guard) => guard.output === output)?.zone;
    return work.zones.find((zone) => zone.id === id);
  };
  const worst = $derived(
    guards
      .filter((guard) => guard.bearing != null && told)
      .map((guard) => {
        const off = (((guard.bearing! - told!.begins) % 360) + 360) % 360;
        return { guard, n: off / told!.step };
      }),
  );
</script>

{#if told}
  <svg viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="All around, bearing by bearing">
    {#each steps as mm (mm)}
      <line class="grid" x1={LEFT} x2={WIDTH} y1={y(mm)} y2={y(mm)} />
      <text class="axis" x={LEFT - 4} y={y(mm) + 4} text-anchor="end">{mm / 1000} m</text>
    {/each}
    {#each marks as { n, text } (n)}
      <line class="grid" x1={x(n)} x2={x(n)} y1={y(top)} y2={y(0)} />
      <text class="axis" x={x(n)} y={HEIGHT - 4} text-anchor="middle">{text}</text>
    {/each}
    {#each told.outputs as one (one.output)}
      {@const zone = zoneOf(one.output)}
      {#if zone}
        <path class="zone" class:warns={zone.kind === 'warning'} d={under(one.zone)} />
        <path
          class="rim"
          class:warns={zone.kind === 'warning'}
          d={line(missing(one.zone))}
          stroke-dasharray={DASHES[work.zones.indexOf(zone) % DASHES.length]}
        />
        <path class="needed" d={line(missing(one.needed))} />
      {/if}
    {/each}
    <path class="contour" d={line(told.contour)} />
    <line class="range" x1={LEFT} x2={WIDTH} y1={y(told.range)} y2={y(told.range)} />
    {#each worst as { guard, n } (guard.output)}
      <line
        class="worst"
        class:short={(guard.short ?? 0) > 0}
        x1={x(n)}
        x2={x(n)}
        y1={y(top)}
        y2={y(0)}
      />
    {/each}
  </svg>
  <p class="quiet">
    <span class="key rim"></span> zone as it is watched
    <span class="key needed"></span> distance needed, up to a wall
    <span class="key contour"></span> walls
    <span class="key range"></span> range {shown(told.range)} mm
  </p>
{/if}

<style>
  svg {
    display: block;
    width: 100%;
    height: auto;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
  }
  path {
    fill: none;
  }
  .grid {
    stroke: var(--rule);
    stroke-width: 0.5;
  }
  .axis {
    font-family: var(--mono);
    font-size: var(--f-tiny);
    fill: var(--ink-2);
  }
  .zone {
    fill: var(--tarn);
    fill-opacity: 0.1;
  }
  .zone.warns {
    fill: var(--gorse);
    fill-opacity: 0.05;
  }
  path.rim {
    stroke: var(--tarn);
    stroke-width: 1.6;
  }
  path.rim.warns {
    stroke: var(--gorse);
  }
  path.needed {
    stroke: var(--heather);
    stroke-width: 1.6;
    stroke-dasharray: 1 3;
    stroke-linecap: round;
  }
  path.contour {
    stroke: var(--ink);
    stroke-width: 2;
  }
  line.range {
    stroke: var(--ink-2);
    stroke-dasharray: 6 4;
  }
  .worst {
    stroke: var(--lichen);
  }
  .worst.short {
    stroke: var(--bracken);
  }
  p {
    margin-top: var(--s2);
    font-size: var(--f-note);
  }
  .key {
    display: inline-block;
    width: 22px;
    margin: 0 var(--s2) var(--s1) var(--s4);
    border-top: 2px solid;
  }
  .key.rim {
    border-color: var(--tarn);
  }
  .key.needed {
    border-top-style: dotted;
    border-color: var(--heather);
  }
  .key.contour {
    border-color: var(--ink);
  }
  .key.range {
    border-top-style: dashed;
    border-color: var(--ink-2);
  }
</style>
