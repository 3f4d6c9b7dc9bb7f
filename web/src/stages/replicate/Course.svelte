<script lang="ts">
  import type { Schemas } from '../../api/client';
  import { shown } from '../../kit/numbers';

  /** One limited figure over the copies: a small staircase against its limit. */
  let { course }: { course: Schemas['CourseOut'] } = $props();

  const WIDTH = 188;
  const HEIGHT = 64;
  const told = $derived(
    course.values.map((value, n) => ({ value, n })).filter((p) => p.value !== null),
  );
  const low = $derived(Math.min(course.limit, 0, ...told.map((p) => p.value!)));
  const high = $derived(Math.max(course.limit, ...told.map((p) => p.value!), low + 1));
  const x = $derived((n: number) => (n / course.values.length) * WIDTH);
  const y = $derived((value: number) => 8 + ((high - value) / (high - low)) * (HEIGHT - 16));
  const line = $derived(
    told
      .map(
        ({ value, n }, k) => `${k ? 'L' : 'M'}${x(n)} ${y(value!)}H${x(told[k + 1]?.n ?? n + 1)}`,
      )
      .join(''),
  );
  const last = $derived(told.at(-1));
</script>

<figure>
  <figcaption class="row">
    <span>{course.label}</span><span class="wide"></span><span
      class="mono value"
      class:bad={course.runs_out}
      >{shown(told[0]?.value ?? 0, 3)} → {shown(last?.value ?? 0, 3)}
      <span class="unit">{course.unit}</span></span
    >
  </figcaption>
  <svg
    width={WIDTH}
    height={HEIGHT}
    role="img"
    aria-label="{course.label}: {course.runs_out
      ? `over its limit at copy ${course.runs_out}`
      : 'within its limit'}"
  >
    <line x1="0" x2={WIDTH} y1={y(course.limit)} y2={y(course.limit)} class="limit" />
    {#if course.runs_out}
      <line x1={x(course.runs_out)} x2={x(course.runs_out)} y1="0" y2={HEIGHT} class="out" />
      <text x={Math.min(x(course.runs_out) + 3, WIDTH - 42)} y={HEIGHT - 2}
        >copy {course.runs_out}</text
      >
    {/if}
    <path d={line} />
  </svg>
</figure>

<style>
  .value {
    white-space: nowrap;
  }
  figure {
    margin: 0;
    width: 188px;
    display: flex;
    flex-direction: column;
    justify-content: end;
  }
  figcaption {
    font-size: var(--f-note);
    line-height: 1.25;
    align-items: baseline;
  }
  svg {
    display: block;
    border-bottom: 1px solid var(--rule);
  }
  path {
    fill: none;
    stroke: var(--lichen);
    stroke-width: 2;
  }
  .limit {
    stroke: var(--ink);
    stroke-dasharray: 3 3;
  }
  .out {
    stroke: var(--bracken);
  }
  text {
    fill: var(--bracken);
    font: var(--f-small) var(--text);
  }
  .bad {
    color: var(--bracken);
  }
</style>
