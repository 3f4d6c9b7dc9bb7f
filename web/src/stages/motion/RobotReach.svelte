<script lang="ts">
  import type { PartResult, Schemas } from '../../api/client';
  import { shown } from '../../kit/numbers';

  /**
   * Where a robot reaches, from above at the height of its work and cut through its middle; the work, the straight move
   * and, on the bench, where the platform is.
   */
  let {
    reach,
    told,
    line,
    live,
  }: {
    reach: PartResult<'robot.reach'>;
    told: PartResult<'robot.told'>;
    line: PartResult<'robot.line'> | undefined;
    live: Schemas['RobotLiveOut'] | null;
  } = $props();

  type Point = readonly [number, number, number];
  let width = $state(884);
  const PAD = 26;
  const GAP = 24;
  const side = $derived(Math.max((width - GAP) / 2, 160));
  const half = $derived(reach.half * 1.06 || 1);
  const scale = $derived((side - 2 * PAD) / (2 * half));
  const down = $derived(Math.max(-reach.low, ...told.work.map((p) => -p[2]), 1) * 1.04);
  // How far what is drawn from above reaches up and down.
  const tall = $derived(
    1.04 *
      Math.max(
        ...reach.plan.flat().map((p) => Math.abs(p[1]!)),
        ...told.work.map((p) => Math.abs(p[1])),
        1,
      ),
  );
  const height = $derived(Math.max(2 * tall, down) * scale + 2 * PAD);

  const x = (value: number) => side / 2 + value * scale;
  const y = (value: number) => PAD + (tall - value) * scale;
  const z = (value: number) => PAD - value * scale;
  const across = (value: number) => side + GAP + x(value);

  const cells = (
    all: readonly (readonly (readonly number[])[])[],
    to: (p: readonly number[]) => string,
  ) => all.map((cell) => `M${cell.map(to).join('L')}Z`).join('');
  const plan = $derived(cells(reach.plan, (p) => `${x(p[0]!)} ${y(p[1]!)}`));
  const section = $derived(cells(reach.section, (p) => `${across(p[0]!)} ${z(p[1]!)}`));

  // Corners come with z running quickest, then y: the lower four once round.
  const footprint = $derived(
    [0, 2, 6, 4].flatMap((n) =>
      told.work[n] ? [`${x(told.work[n][0])},${y(told.work[n][1])}`] : [],
    ),
  );
  const box = $derived.by(() => {
    if (!told.work.length) return null;
    const xs = told.work.map((p) => p[0]);
    const zs = told.work.map((p) => p[2]);
    const [left, right] = [across(Math.min(...xs)), across(Math.max(...xs))];
    const [top, low] = [z(Math.max(...zs)), z(Math.min(...zs))];
    return { left, top, width: right - left, height: Math.max(low - top, 1) };
  });
  const turn = $derived.by(() => {
    const [origin, ahead] = told.frame;
    const [dx, dy] = [ahead[0] - origin[0], ahead[1] - origin[1]];
    return { origin, dx, dy };
  });
  const LENGTH = 30;
  const ticks = $derived(
    [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000].find((step) => step * scale >= 28) ?? 2000,
  );
  const marks = $derived(
    Array.from({ length: Math.floor(down / ticks) }, (_, n) => -(n + 1) * ticks),
  );
  const trace = $derived(
    (live?.trace ?? []).map((t) => [t[1] ?? 0, t[2] ?? 0, t[3] ?? 0] as Point),
  );
  const path = (points: readonly Point[], to: (p: Point) => string) =>
    points.length > 1 ? `M${points.map(to).join('L')}` : '';
  const above = (p: Point) => `${x(p[0])} ${y(p[1])}`;
  const beside = (p: Point) => `${across(p[0])} ${z(p[2])}`;
</script>

<div bind:clientWidth={width}>
  <svg {width} {height} role="img" aria-label="Where it reaches, from above and from the side">
    <text class="head" x="0" y="12">From above, at z {shown(reach.z)} mm</text>
    <text class="head" x={side + GAP} y="12">Cut through the middle, from the side</text>
    <path class="reached" d={plan} />
    <path class="reached" d={section} />
    {#if reach.radius !== null}
      <circle class="circle" cx={x(0)} cy={y(0)} r={reach.radius * scale} />
      <text class="mono" x={x(0)} y={y(reach.radius) - 4} text-anchor="middle"
        >Ø {shown(Math.floor(2 * reach.radius), 4)} mm</text
      >
    {/if}
    {#each [0, 120, 240] as bearing, n (bearing)}
      <g transform="rotate({-bearing} {x(0)} {y(0)})">
        <line class="arm" x1={x(0)} x2={x(half * 0.12)} y1={y(0)} y2={y(0)} />
        <text
          class="mono"
          text-anchor="middle"
          transform="rotate({bearing} {x(half * 0.17)} {y(0)})"
          x={x(half * 0.17)}
          y={y(0) + 4}>{n + 1}</text
        >
      </g>
    {/each}
    <line class="base" x1={across(-half * 0.3)} x2={across(half * 0.3)} y1={z(0)} y2={z(0)} />
    {#each marks as at (at)}
      <line class="tick" x1={side + GAP} x2={side + GAP + 5} y1={z(at)} y2={z(at)} />
      <text class="mono" x={side + GAP + 8} y={z(at) + 4}>{shown(at)}</text>
    {/each}
    <line class="level" x1={across(-half)} x2={across(half)} y1={z(reach.z)} y2={z(reach.z)} />

    {#if footprint.length === 4}<polygon
        class="work"
        class:bad={told.unreached}
        points={footprint.join(' ')}
      />{/if}
    {#if box}
      <rect
        class="work"
        class:bad={told.unreached}
        x={box.left}
        y={box.top}
        width={box.width}
        height={box.height}
      />
    {/if}
    {#if told.at}
      <circle class="miss" cx={x(told.at[0])} cy={y(told.at[1])} r="4" />
      <circle class="miss" cx={across(told.at[0])} cy={z(told.at[2])} r="4" />
    {/if}
    <g class="frame">
      <path
        d="M{x(turn.origin[0]) + turn.dx * LENGTH} {y(turn.origin[1]) - turn.dy * LENGTH}L{x(
          turn.origin[0],
        )} {y(turn.origin[1])}L{x(turn.origin[0]) - turn.dy * LENGTH} {y(turn.origin[1]) -
          turn.dx * LENGTH}"
      />
      <text
        x={x(turn.origin[0]) + turn.dx * (LENGTH + 7)}
        y={y(turn.origin[1]) - turn.dy * (LENGTH + 7) + 4}>x</text
      >
      <text
        x={x(turn.origin[0]) - turn.dy * (LENGTH + 7)}
        y={y(turn.origin[1]) - turn.dx * (LENGTH + 7) + 4}>y</text
      >
    </g>
    {#if line}
      {@const bad = line.leaves !== ''}
      <path class="line" class:bad d={path([line.begin, line.end] as Point[], above)} />
      <path class="line" class:bad d={path([line.begin, line.end] as Point[], beside)} />
      {#each [line.begin, line.end] as at, n (n)}
        <circle class="end" class:full={n === 1} class:bad cx={x(at[0])} cy={y(at[1])} r="4" />
        <circle class="end" class:full={n === 1} class:bad cx={across(at[0])} cy={z(at[2])} r="4" />
      {/each}
    {/if}
    <path class="trace" d={path(trace, above)} />
    <path class="trace" d={path(trace, beside)} />
    {#if live?.place}
      {#each [[x(live.place[0]!), y(live.place[1]!)], [across(live.place[0]!), z(live.place[2]!)]] as [cx, cy], n (n)}
        <path class="now" d="M{cx! - 6} {cy}h12M{cx} {cy! - 6}v12" />
      {/each}
    {/if}
  </svg>
</div>

<style>
  svg {
    display: block;
  }
  .head,
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .mono {
    fill: var(--ink-2);
    font-size: var(--f-tiny);
  }
  .reached {
    fill: var(--lichen-tint);
  }
  .circle {
    fill: none;
    stroke: var(--lichen);
    stroke-dasharray: 4 3;
  }
  .arm,
  .base {
    stroke: var(--ink-3);
    stroke-width: 4;
  }
  .tick {
    stroke: var(--rule-2);
  }
  .level {
    stroke: var(--lichen);
    stroke-dasharray: 4 3;
  }
  .work {
    fill: var(--leaf);
    fill-opacity: 0.55;
    stroke: var(--ink-2);
  }
  .work.bad {
    stroke: var(--bracken);
  }
  .miss {
    fill: var(--bracken);
  }
  .frame path {
    fill: none;
    stroke: var(--ink-2);
    stroke-width: 1.5;
  }
  .frame text {
    text-anchor: middle;
  }
  .line {
    fill: none;
    stroke: var(--tarn);
    stroke-width: 2;
  }
  .end {
    fill: var(--leaf);
    stroke: var(--tarn);
    stroke-width: 2;
  }
  .full {
    fill: var(--tarn);
  }
  .line.bad,
  .end.bad {
    stroke: var(--bracken);
  }
  .full.bad {
    fill: var(--bracken);
  }
  .trace {
    fill: none;
    stroke: var(--heather);
    stroke-width: 1.5;
  }
  .now {
    fill: none;
    stroke: var(--heather);
    stroke-width: 2;
  }
</style>
