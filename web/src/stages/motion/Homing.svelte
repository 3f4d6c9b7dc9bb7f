<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import DriveObjects from './DriveObjects.svelte';

  /**
   * How an axis finds home: above the switches along it, under them a way from each zone, time going down; beside it the
   * last stretch, where it goes slowly over the edge and to the index.
   */
  let {
    home,
    ways,
    unit,
    speedUnit,
  }: {
    home: NonNullable<PartResult<'axis.home'>>;
    ways: NonNullable<PartResult<'axis.homing'>>;
    unit: string;
    speedUnit: string;
  } = $props();

  let width = $state(0);
  const LANE = 16;
  const TOP = 12;
  const NEAR = 220;
  const LEFT = 64;
  const wide = $derived(Math.max(width, 520) - NEAR - LEFT - 40);
  const lanes = $derived(ways.switches.length);
  const begin = $derived(TOP + lanes * LANE + 10);
  const height = $derived(begin + 150);
  const longest = $derived(
    Math.max(...ways.paths.map((p) => p.points[p.points.length - 1]?.[0] ?? 0), 1e-6),
  );
  const x = (at: number) => LEFT + ((at - ways.low) / (ways.high - ways.low)) * wide;
  const y = (s: number) => begin + (s / longest) * 136;
  const line = (points: number[][]) =>
    points.map(([s = 0, at = 0]) => `${x(at)},${y(s)}`).join(' ');

  // The last stretch: some turns of the motor about home, or what slow going takes.
  const turn = $derived(ways.indexes.length > 1 ? ways.indexes[1]! - ways.indexes[0]! : 0);
  const about = $derived(turn ? 2.2 * turn : (ways.high - ways.low) / 100);
  const middle = $derived(home.home ?? 0);
  const nx = (at: number) => LEFT + wide + 30 + ((at - middle + about) / (2 * about)) * NEAR;
  const last = $derived(
    ways.paths.map((path) => {
      const points = path.points.filter(([, at = 0]) => Math.abs(at - middle) <= about);
      const end = path.points[path.points.length - 1]?.[0] ?? 0;
      // Only what comes without a break before the end.
      const from = points.findLastIndex(
        ([s = 0], n) => n > 0 && s - points[n - 1]![0]! > longest / 3,
      );
      const kept = points.slice(Math.max(from, 0));
      const first = kept[0]?.[0] ?? 0;
      return kept.map(([s = 0, at = 0]) => [
        nx(at),
        begin + ((s - first) / Math.max(end - first, 1e-6)) * 136,
      ]);
    }),
  );
  const TONES = ['a', 'b', 'c'];
  const inside = (value: number | null, usual: number) =>
    Math.min(Math.max(value ?? usual, ways.low), ways.high);
</script>

<div bind:clientWidth={width}>
  {#if width && ways.paths.length}
    <svg
      width={Math.max(width, 520)}
      {height}
      role="img"
      aria-label="Ways home by method {home.method}"
    >
      {#each ways.switches as one, n (one.name)}
        {@const low = inside(one.low, ways.low)}
        {@const high = inside(one.high, ways.high)}
        {@const at = TOP + n * LANE}
        <text x="0" y={at + 4}>{one.name}</text>
        <line class="free" x1={x(ways.low)} x2={x(ways.high)} y1={at} y2={at} />
        <rect
          class="held"
          x={x(low)}
          width={Math.max(x(high) - x(low), 2)}
          y={at - 5}
          height="10"
        />
        {#if Math.min(high, middle + about) > Math.max(low, middle - about)}
          <rect
            class="held"
            x={nx(Math.max(low, middle - about))}
            width={nx(Math.min(high, middle + about)) - nx(Math.max(low, middle - about))}
            y={at - 5}
            height="10"
          />
        {/if}
      {/each}
      {#if home.home !== null}
        {#each [x(home.home), nx(home.home)] as there (there)}
          <line class="home" x1={there} x2={there} y1={TOP - 8} y2={height - 4} />
        {/each}
      {/if}
      {#each ways.indexes as at (at)}
        {#if Math.abs(at - middle) < about}
          <line class="index" x1={nx(at)} x2={nx(at)} y1={begin - 10} y2={height - 4} />
        {/if}
      {/each}
      {#each ways.paths as path, n (path.zone)}
        {@const first = path.points[0]!}
        <polyline class={TONES[n]} points={line(path.points)} />
        <circle class={TONES[n]} cx={x(first[1] ?? 0)} cy={y(0)} r="4" />
        <polyline class={TONES[n]} points={last[n]!.map((p) => p.join(',')).join(' ')} />
        {#if last[n]!.length}
          {@const end = last[n]![last[n]!.length - 1]!}
          <circle class="end {TONES[n]}" cx={end[0]} cy={end[1]} r="4" />
        {/if}
      {/each}
      <text x={nx(middle + about)} y={begin - 14} text-anchor="end"
        >the last ± {shown(about, 2)} {unit}</text
      >
      <text x="0" y={begin + 4}>0 s</text>
      <text x="0" y={begin + 140}>{shown(longest, 3)} s</text>
    </svg>
    <ul>
      {#each ways.paths as path, n (path.zone)}
        <li>
          <span class="dot {TONES[n]}"></span>
          {path.zone}: {path.ends || `home after at most ${shown(path.takes, 3)} s`}
        </li>
      {/each}
      <li class="quiet">seeks at {shown(home.fast, 3)}, then {shown(home.slow, 3)} {speedUnit}</li>
    </ul>
  {/if}
  <dl>
    {#if home.home !== null}
      <div>
        <dt>Home</dt>
        <dd class="mono">{shown(home.home, 7)} {unit}</dd>
      </div>
    {/if}
    {#if home.position !== null}
      <div>
        <dt>counts there</dt>
        <dd class="mono">{shown(home.position, 7)} {unit}</dd>
      </div>
    {/if}
    {#if home.room !== null}
      <div>
        <dt>runs on past the switch</dt>
        <dd class="mono" class:bad={home.runs_on > home.room}>
          {shown(home.runs_on, 3)} of {shown(home.room, 3)}
          {unit}
        </dd>
      </div>
    {/if}
  </dl>
  <DriveObjects objects={home.objects} />
</div>

<style>
  svg {
    display: block;
  }
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .free {
    stroke: var(--rule-2);
  }
  .held {
    fill: var(--gorse-tint);
    stroke: var(--gorse);
  }
  .home {
    stroke: var(--ink);
    stroke-dasharray: 4 3;
  }
  .index {
    stroke: var(--rule-2);
  }
  polyline {
    fill: none;
    stroke-width: 2;
    stroke-linejoin: round;
  }
  .a {
    stroke: var(--tarn);
    fill: var(--tarn);
    background: var(--tarn);
  }
  .b {
    stroke: var(--bracken);
    fill: var(--bracken);
    background: var(--bracken);
  }
  .c {
    stroke: var(--ink-2);
    fill: var(--ink-2);
    background: var(--ink-2);
  }
  polyline.a,
  polyline.b,
  polyline.c {
    fill: none;
  }
  circle.end {
    fill: var(--paper);
    stroke-width: 2;
  }
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1) var(--s5);
    list-style: none;
    margin: var(--s2) 0;
    padding: 0;
    font-size: var(--f-note);
  }
  .dot {
    display: inline-block;
    width: 10px;
    height: 10px;
    border-radius: 50%;
  }
  dl {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s5);
    margin: var(--s2) 0 0;
    font-size: var(--f-note);
  }
  dl div {
    display: flex;
    gap: var(--s2);
  }
  dt {
    color: var(--ink-2);
  }
  dd {
    margin: 0;
  }
  .bad {
    color: var(--bracken);
  }
</style>
