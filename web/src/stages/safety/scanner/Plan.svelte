<script lang="ts">
  import { shown } from '../../../kit/numbers';
  import type { Row } from '../../../plant/store.svelte';
  import Grips from './Grips.svelte';
  import type { ScannerWork } from './scannerWork.svelte';
  import { DASHES, GRID, ring, snapped, type Point } from './shapes';

  /** The plan: what stands there, the hazard, zones, what distance is needed and where it comes too near. */
  let {
    work,
    width,
    height,
    person,
    way,
    spots,
    marking,
    onmark,
  }: {
    work: ScannerWork;
    width: number;
    height: number;
    /** Where somebody is on the bench, and the way that is marked for him. */
    person: readonly number[] | null;
    way: Point[];
    /** Places where a test piece is held. */
    spots: Point[];
    marking: boolean;
    onmark: (at: Point) => void;
  } = $props();

  const AROUND = 1000;
  const told = $derived(work.told);
  const at = $derived<Point>(told ? [told.at[0]!, told.at[1]!] : [0, 0]);
  const situation = $derived(
    work.situation ? work.result('situation.told', work.situation.id) : undefined,
  );
  const points = (row: Row<'plan_shapes'>) => work.points(row);
  const here = $derived(
    work.shapes.filter(
      (row) => row.kind !== 'hazard' || !row.situation || row.situation === work.situation?.id,
    ),
  );
  const used = $derived(new Set(situation?.guards.map((guard) => guard.zone)));
  const visible = $derived(
    work.zones.filter((zone) => used.has(zone.id) || zone.id === work.zone?.id),
  );

  // All that is drawn fits in; while something is dragged the frame stays.
  const bounds = $derived.by(() => {
    const all: Point[] = [
      // Some ground around it, where nothing stands yet.
      [at[0] - AROUND, at[1] - AROUND],
      [at[0] + AROUND, at[1] + AROUND],
      ...work.shapes.flatMap((row) => (row.settings?.points ?? []) as Point[]),
    ];
    for (const zone of work.zones) {
      const shape = zone.settings?.shape as Parameters<typeof ring>[0] | undefined;
      if (shape) all.push(...ring(shape, at));
    }
    const xs = all.map((p) => p[0]);
    const ys = all.map((p) => p[1]);
    const pad = 500;
    return {
      left: Math.min(...xs) - pad,
      right: Math.max(...xs) + pad,
      low: Math.min(...ys) - pad,
      high: Math.max(...ys) + pad,
    };
  });
  const scale = $derived(
    Math.min(width / (bounds.right - bounds.left), height / (bounds.high - bounds.low)),
  );
  const shift = $derived({
    x: (width - scale * (bounds.right - bounds.left)) / 2,
    y: (height - scale * (bounds.high - bounds.low)) / 2,
  });
  const sx = (x: number) => shift.x + (x - bounds.left) * scale;
  const sy = (y: number) => shift.y + (bounds.high - y) * scale;
  const path = (line: readonly (readonly number[])[], close = false) =>
    line.map((p, n) => `${n ? 'L' : 'M'}${sx(p[0]!)},${sy(p[1]!)}`).join('') + (close ? 'Z' : '');
  const area = (rings: readonly (readonly (readonly number[])[])[]) =>
    rings.map((one) => path(one, true)).join('');
  // One line of the grid a metre.
  const metres = $derived({
    x: range(bounds.left, bounds.right),
    y: range(bounds.low, bounds.high),
  });
  function range(low: number, high: number): number[] {
    const found = [];
    for (let n = Math.ceil(low / 1000); n * 1000 <= high; n++) found.push(n * 1000);
    return found;
  }

  const dash = (zone: Row<'zones'>) => DASHES[work.zones.indexOf(zone) % DASHES.length];
  const guards = $derived(situation?.guards.filter((guard) => guard.near && guard.hazard) ?? []);
  /** Where a letter stands: on the outline, so that letters of zones within one another stay apart. */
  function letterAt(zone: Row<'zones'>): Point {
    const shape = work.drawn(zone);
    const line = shape ? ring(shape, at) : [at];
    const n = work.zones.indexOf(zone);
    const k = Math.floor((line.length * (1 + (n % 3))) / 4) % line.length;
    const [a, b] = [line[k]!, line[(k + 1) % line.length]!];
    return [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
  }

  let svg = $state<SVGSVGElement>();
  function place(event: MouseEvent): Point {
    const box = svg!.getBoundingClientRect();
    const x = ((event.clientX - box.left) * width) / box.width;
    const y = ((event.clientY - box.top) * height) / box.height;
    const free: Point = [(x - shift.x) / scale + bounds.left, bounds.high - (y - shift.y) / scale];
    if (event.altKey) return free;
    return snapped(free, work.shapes.flatMap(points), 8 / scale, GRID);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (a way can be walked without being marked) -->
<!-- svelte-ignore a11y_click_events_have_key_events -->
<svg
  bind:this={svg}
  viewBox="0 0 {width} {height}"
  role="group"
  aria-label="Plan"
  class:marking
  onclick={(event) => marking && onmark(place(event))}
>
  <defs>
    <pattern
      id="swept"
      width="7"
      height="7"
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(45)"
    >
      <line x1="0" y1="0" x2="0" y2="7" class="hatch" />
    </pattern>
    <pattern
      id="lacking"
      width="4"
      height="4"
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(-45)"
    >
      <line x1="0" y1="0" x2="0" y2="4" class="lack" />
    </pattern>
    <clipPath id="frame"><rect {width} {height} /></clipPath>
  </defs>
  <g clip-path="url(#frame)">
    {#if told}<path class="sight" d={area(told.sight)} />{/if}
    {#each metres.x as x (x)}<line class="grid" x1={sx(x)} x2={sx(x)} y1="0" y2={height} />{/each}
    {#each metres.y as y (y)}<line class="grid" x1="0" x2={width} y1={sy(y)} y2={sy(y)} />{/each}
    <path class="hazard" d={area(situation?.hazards ?? [])} fill="url(#swept)" />
    {#each situation?.guards ?? [] as guard (guard.output)}
      {#if guard.behind.length}<path d={area(guard.behind)} fill="url(#lacking)" />{/if}
    {/each}
    {#each visible as zone (zone.id)}
      {@const result = work.result('zone.told', zone.id)}
      {@const shape = work.drawn(zone)}
      <path
        class="watched"
        class:warns={zone.kind === 'warning'}
        class:chosen={zone.id === work.zone?.id}
        d={area(result?.watched ?? [])}
        stroke-dasharray={dash(zone)}
      />
      {#if shape && zone.id === work.zone?.id}<path
          class="drawn"
          d={path(ring(shape, at), true)}
        />{/if}
    {/each}
    {#each situation?.guards ?? [] as guard (guard.output)}
      <path class="needed" d={area(guard.needed_line)} />
      {#each guard.edge as line, n (n)}<path class="edge" d={path(line)} />{/each}
    {/each}
    {#each here as row (row.id)}
      {#if row.kind !== 'hazard'}
        <path class={row.kind} class:chosen={row.id === work.shape?.id} d={path(points(row))} />
      {/if}
    {/each}
    {#each guards as guard (guard.output)}
      {@const short = (guard.short ?? 0) > 0}
      <line
        class="way"
        class:short
        x1={sx(guard.near![0]!)}
        y1={sy(guard.near![1]!)}
        x2={sx(guard.hazard![0]!)}
        y2={sy(guard.hazard![1]!)}
      />
    {/each}
    <g transform="translate({sx(at[0])},{sy(at[1])}) rotate({told?.looks ?? 0})">
      <path class="eye" d="M-8,5 L8,5 L5,-5 L-5,-5 Z M0,-5 L0,-11" />
    </g>
    {#each visible as zone (zone.id)}
      {@const where = letterAt(zone)}
      <text class="letter" x={sx(where[0])} y={sy(where[1])}>{zone.letter}</text>
    {/each}
    {#each guards as guard (guard.output)}
      {@const short = (guard.short ?? 0) > 0}
      {@const right = sx(guard.near![0]!) > width - 190}
      <text
        class="says"
        class:short
        text-anchor={right ? 'end' : 'start'}
        x={sx(guard.near![0]!) + (right ? -8 : 8)}
        y={sy(guard.near![1]!) - 6}
        >{shown(Math.round(guard.bearing ?? 0))}°: {short
          ? `${shown(Math.ceil(guard.short ?? 0))} mm short`
          : `${shown(Math.floor(guard.distance ?? 0))} mm`}</text
      >
    {/each}
    {#if way.length}<path class="walked" d={path(way)} />
      {#each way as spot, n (n)}<circle
          class="spot"
          cx={sx(spot[0])}
          cy={sy(spot[1])}
          r="3"
        />{/each}{/if}
    {#each spots as spot, n (n)}
      <circle class="spot" cx={sx(spot[0])} cy={sy(spot[1])} r="4" />
      <text class="nth" x={sx(spot[0]) + 6} y={sy(spot[1]) + 13}>{n + 1}</text>
    {/each}
    {#if person}<circle
        class="person"
        cx={sx(person[0]!)}
        cy={sy(person[1]!)}
        r={Math.max(5, 35 * scale)}
      />{/if}
    <Grips {work} {at} {sx} {sy} {place} />
  </g>
</svg>

<style>
  svg {
    display: block;
    width: 100%;
    height: auto;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
    touch-action: none;
  }
  .grid {
    stroke: var(--rule);
    stroke-width: 0.5;
  }
  .sight {
    fill: var(--paper);
    stroke: none;
  }
  .hatch {
    stroke: var(--ink-2);
    stroke-width: 1.6;
  }
  .lack {
    stroke: var(--bracken);
    stroke-width: 1.4;
  }
  .hazard {
    stroke: var(--ink);
    stroke-width: 1;
  }
  .watched {
    fill: var(--tarn);
    fill-opacity: 0.1;
    stroke: var(--tarn);
    stroke-width: 1.6;
  }
  .watched.warns {
    fill-opacity: 0.03;
    stroke: var(--gorse);
  }
  .watched.chosen {
    fill-opacity: 0.2;
    stroke-width: 2.2;
  }
  .drawn {
    fill: none;
    stroke: var(--heather);
    stroke-width: 1;
  }
  .needed {
    fill: none;
    stroke: var(--heather);
    stroke-width: 1;
    stroke-dasharray: 1 3;
    stroke-linecap: round;
  }
  .edge {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2.6;
  }
  .wall,
  .guard {
    fill: none;
    stroke: var(--ink);
    stroke-width: 4;
  }
  .guard {
    stroke-width: 3;
    stroke-dasharray: 3 2;
  }
  .open {
    fill: none;
    stroke: var(--ink-2);
    stroke-width: 1.5;
    stroke-dasharray: 2 3;
  }
  .wall.chosen,
  .guard.chosen,
  .open.chosen {
    stroke: var(--heather);
  }
  .way {
    stroke: var(--lichen);
    stroke-width: 1.2;
  }
  .way.short {
    stroke: var(--bracken);
  }
  .eye {
    fill: var(--leaf);
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  text {
    font-family: var(--mono);
    font-size: var(--f-note);
    fill: var(--ink);
    paint-order: stroke;
    stroke: var(--leaf);
    stroke-width: 3px;
  }
  .letter {
    font-weight: 600;
    text-anchor: middle;
    dominant-baseline: central;
  }
  .says.short {
    fill: var(--bracken);
    font-weight: 600;
  }
  .marking {
    cursor: crosshair;
  }
  .walked {
    fill: none;
    stroke: var(--ink);
    stroke-dasharray: 2 4;
  }
  .spot {
    fill: var(--ink);
  }
  .spot {
    fill: var(--leaf);
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .nth {
    fill: var(--ink);
    font-size: var(--f-small);
  }
  .person {
    fill: var(--bracken);
    stroke: var(--leaf);
    stroke-width: 1.5;
  }
</style>
