<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';

  /** How quick each joint turns along the straight move, a lane each between what it may, and how it accelerates. */
  let { line }: { line: PartResult<'robot.line'> } = $props();

  let width = $state(884);
  const LANE = 48;
  const LEFT = 64;
  const RIGHT = 178;
  const room = $derived(Math.max(width - LEFT - RIGHT, 100));
  const height = $derived(line.joints.length * LANE + 18);
  const x = (t: number) => LEFT + (line.takes ? t / line.takes : 0) * room;
  const middle = (n: number) => n * LANE + LANE / 2;
  const most = (joint: (typeof line.joints)[number]) =>
    1.08 * Math.max(joint.limit ?? 0, joint.most, 1e-9);
  const y = (n: number, joint: (typeof line.joints)[number], speed: number) =>
    middle(n) - (speed / most(joint)) * (LANE / 2 - 3);
  const curve = (n: number, joint: (typeof line.joints)[number]) =>
    `M${joint.speeds.map((v, i) => `${x(line.times[i] ?? 0).toFixed(1)} ${y(n, joint, v).toFixed(1)}`).join('L')}`;
</script>

<div bind:clientWidth={width}>
  <svg {width} {height} role="img" aria-label="How quick the joints turn along the straight move">
    {#each line.joints as joint, n (joint.place)}
      {@const over = joint.limit !== null && joint.most > joint.limit}
      {@const sharp =
        joint.acceleration_limit !== null && joint.acceleration > joint.acceleration_limit}
      <text x="0" y={middle(n) + 4}>{joint.name}</text>
      <line class="zero" x1={LEFT} x2={LEFT + room} y1={middle(n)} y2={middle(n)} />
      {#if joint.limit !== null}
        {#each [1, -1] as sign (sign)}
          <line
            class="limit"
            x1={LEFT}
            x2={LEFT + room}
            y1={y(n, joint, sign * joint.limit)}
            y2={y(n, joint, sign * joint.limit)}
          />
        {/each}
      {/if}
      <path class:over d={curve(n, joint)} />
      <line
        class="at"
        x1={x(joint.at)}
        x2={x(joint.at)}
        y1={middle(n) - LANE / 2 + 3}
        y2={middle(n) + LANE / 2 - 3}
      />
      <text class="mono" class:over x={LEFT + room + 8} y={middle(n) - 9}
        >{shown(joint.most, 4)} °/s{joint.limit !== null
          ? ` of ${shown(joint.limit, 4)}`
          : ''}</text
      >
      <text class="mono" class:over={sharp} x={LEFT + room + 8} y={middle(n) + 4}
        >{shown(joint.acceleration, 4)} °/s²{joint.acceleration_limit !== null
          ? ` of ${shown(joint.acceleration_limit, 4)}`
          : ''}</text
      >
      <text class="mono quiet" x={LEFT + room + 8} y={middle(n) + 17}
        >{shown(joint.low, 4)}° … {shown(joint.high, 4)}°</text
      >
    {/each}
    <text class="mono" x={LEFT} y={height - 4}>0</text>
    <text class="mono" x={LEFT + room} y={height - 4} text-anchor="end"
      >{shown(line.takes, 4)} s</text
    >
  </svg>
</div>

<style>
  svg {
    display: block;
  }
  text {
    fill: var(--ink);
    font-size: var(--f-note);
  }
  .mono {
    font-size: var(--f-small);
  }
  .quiet {
    fill: var(--ink-2);
  }
  path {
    fill: none;
    stroke: var(--tarn);
    stroke-width: 2;
  }
  .over {
    stroke: var(--bracken);
  }
  text.over {
    fill: var(--bracken);
    stroke: none;
  }
  .zero {
    stroke: var(--rule-2);
  }
  .limit {
    stroke: var(--bracken);
    stroke-dasharray: 5 4;
  }
  .at {
    stroke: var(--rule-2);
    stroke-dasharray: 2 2;
  }
</style>
