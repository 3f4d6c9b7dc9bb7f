<script lang="ts">
  import { shown } from '../../kit/numbers';
  import { along, type Curve, type Trial } from './trial.svelte';

  /** A move over time, with handles for its speed, its acceleration and its distance. */
  let {
    trial,
    curve,
    unit,
    speedUnit,
    trace = [],
  }: {
    trial: Trial;
    curve: Curve;
    unit: string;
    speedUnit: string;
    /** The latest move on the bench: s, position asked, position shown. */
    trace?: number[][];
  } = $props();

  let width = $state(640);
  let svg = $state<SVGSVGElement>();
  const HEIGHT = 216;
  const LEFT = 64;
  const RIGHT = 74;
  const BASE = HEIGHT - 26;
  /** While a handle is dragged the scales stay as they were. */
  let held = $state.raw<{ time: number; speed: number } | null>(null);

  const way = $derived(curve.distance < 0 ? -1 : 1);
  const time = $derived(held?.time ?? 1.18 * Math.max(curve.time, 1e-9));
  const speed = $derived(held?.speed ?? 1.25 * Math.max(curve.peak_speed, 1e-12));
  const x = (t: number) => LEFT + (t / time) * (width - LEFT - RIGHT);
  const y = (v: number) => BASE - (v / speed) * (BASE - 16);
  const STEPS = 20;
  const line = (value: (t: number) => number) =>
    curve.pieces
      .flatMap((piece) =>
        Array.from({ length: STEPS + 1 }, (_, n) => {
          const t = piece.at + (piece.lasts * n) / STEPS;
          return `${x(t).toFixed(1)},${value(t).toFixed(1)}`;
        }),
      )
      .join(' ');
  const speeds = $derived(line((t) => y(way * along(curve, t).v)));
  const far = $derived(Math.abs(curve.distance) || 1);
  const height = (p: number) => BASE - ((way * p) / far) * (BASE - 16) * 0.92;
  const positions = $derived(line((t) => height(along(curve, t).p)));
  const ran = $derived.by(() => {
    const from = trace[0]?.[1] ?? 0;
    const points = (n: 1 | 2) =>
      trace
        .filter(([t = 0]) => t <= time)
        .map((at) => `${x(at[0] ?? 0).toFixed(1)},${height((at[n] ?? 0) - from).toFixed(1)}`)
        .join(' ');
    return { asked: points(1), shown: points(2) };
  });
  /** When it has come to its highest speed. */
  const rise = $derived.by(() => {
    const ends = curve.pieces.map((piece) => piece.at + piece.lasts);
    return (
      ends.find((t) => way * along(curve, t).v >= curve.peak_speed * (1 - 1e-9)) ?? curve.time / 2
    );
  });
  const middle = $derived((rise + curve.time) / 2);

  type Handle = 'speed' | 'acceleration' | 'distance';
  const three = (value: number) => String(Number(value.toPrecision(3)));

  function moved(handle: Handle, event: PointerEvent) {
    if (!held || !svg) return;
    const box = svg.getBoundingClientRect();
    const t = ((event.clientX - box.left - LEFT) / (width - LEFT - RIGHT)) * time;
    const v = ((BASE - (event.clientY - box.top)) / (BASE - 16)) * speed;
    if (handle === 'speed') trial.set('speed', three(Math.max(v, speed / 500)));
    else if (handle === 'acceleration')
      trial.set('acceleration', three(curve.peak_speed / Math.max(t, time / 500)));
    else {
      // At its speed it goes on for as long as the handle is away from the end.
      const more = (t - curve.time) * curve.peak_speed;
      trial.set('distance', three(way * Math.max(Math.abs(curve.distance) + more, far / 500)));
    }
  }

  function grab(event: PointerEvent) {
    held = { time, speed };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    event.preventDefault();
    (event.currentTarget as HTMLElement).focus();
  }

  function key(handle: Handle, value: number, event: KeyboardEvent) {
    const by =
      event.key === 'ArrowUp' || event.key === 'ArrowRight'
        ? 1.05
        : event.key === 'ArrowDown' || event.key === 'ArrowLeft'
          ? 1 / 1.05
          : 0;
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    trial.set(handle, three(value * by));
  }

  const handles = $derived([
    {
      key: 'speed' as const,
      words: 'Speed',
      value: curve.speed,
      unit: speedUnit,
      x: x(middle),
      y: y(curve.peak_speed),
    },
    {
      key: 'acceleration' as const,
      words: 'Acceleration',
      value: curve.acceleration,
      unit: `${unit}/s²`,
      x: x(rise / 2),
      y: y(way * along(curve, rise / 2).v),
    },
    {
      key: 'distance' as const,
      words: 'Distance',
      value: curve.distance,
      unit,
      x: x(curve.time),
      y: BASE,
    },
  ]);
</script>

<div bind:clientWidth={width}>
  <svg
    bind:this={svg}
    {width}
    height={HEIGHT}
    role="group"
    aria-label="The move: speed over time, with handles"
  >
    <line class="axis" x1={LEFT} x2={width - RIGHT} y1={BASE} y2={BASE} />
    <line class="axis" x1={LEFT} x2={LEFT} y1="10" y2={BASE} />
    <text x={LEFT - 6} y={y(curve.peak_speed) + 4} text-anchor="end" class="mono"
      >{shown(curve.peak_speed, 3)}</text
    >
    <text x={LEFT - 6} y={y(curve.peak_speed) + 16} text-anchor="end">{speedUnit}</text>
    <line class="grid" x1={LEFT} x2={x(middle)} y1={y(curve.peak_speed)} y2={y(curve.peak_speed)} />
    {#if curve.pieces.length}
      <polygon class="area" points="{x(0)},{BASE} {speeds} {x(curve.time)},{BASE}" />
      <polyline class="speed" points={speeds} />
      <polyline class="position" points={positions} />
      {#if trace.length}
        <polyline class="asked" points={ran.asked} />
        <polyline class="shown" points={ran.shown} />
      {/if}
      <text class="mono" x={x(curve.time) + 8} y={BASE - (BASE - 16) * 0.92 + 4}
        >{shown(curve.distance, 4)} {unit}</text
      >
    {/if}
    <text x={x(0)} y={HEIGHT - 8} text-anchor="middle" class="mono">0</text>
    <text x={x(curve.time)} y={HEIGHT - 8} text-anchor="middle" class="mono"
      >{shown(curve.time, 4)} s</text
    >
    {#each handles as handle (handle.key)}
      <g
        role="slider"
        tabindex="0"
        aria-label="{handle.words}, {handle.unit}"
        aria-valuenow={handle.value}
        class={handle.key}
        onpointerdown={grab}
        onpointermove={(event) => moved(handle.key, event)}
        onpointerup={() => (held = null)}
        onpointercancel={() => (held = null)}
        onkeydown={(event) => key(handle.key, handle.value, event)}
      >
        <circle class="reach" cx={handle.x} cy={handle.y} r="14" />
        <path class="handle" d="M{handle.x},{handle.y - 8} l8,8 l-8,8 l-8,-8 z" />
      </g>
    {/each}
  </svg>
</div>

<style>
  svg {
    display: block;
    touch-action: none;
  }
  .axis {
    stroke: var(--ink-3);
  }
  .grid {
    stroke: var(--rule-2);
    stroke-dasharray: 2 4;
  }
  .area {
    fill: var(--tarn-tint);
    opacity: 0.6;
  }
  polyline {
    fill: none;
  }
  polyline.speed {
    stroke: var(--tarn);
    stroke-width: 2;
  }
  .position {
    stroke: var(--ink-3);
    stroke-dasharray: 6 4;
  }
  .asked {
    stroke: var(--ink-2);
  }
  .shown {
    stroke: var(--heather);
    stroke-width: 2;
  }
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .reach {
    fill: transparent;
  }
  .handle {
    fill: var(--paper);
    stroke: var(--heather);
    stroke-width: 2;
  }
  g[role='slider'] {
    cursor: ns-resize;
    outline: none;
  }
  g.acceleration,
  g.distance {
    cursor: ew-resize;
  }
  g:focus-visible .handle,
  g:hover .handle {
    fill: var(--heather);
  }
</style>
