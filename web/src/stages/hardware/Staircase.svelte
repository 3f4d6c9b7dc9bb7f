<script lang="ts">
  import type { PartResult } from '../../api/client';
  import type { Box } from './layout';

  /** The internal supply left after each module, to scale, under the modules themselves. */
  let {
    power,
    head,
    placed,
    width,
    height = 124,
    pending = undefined,
  }: {
    power: PartResult<'rail.power'>;
    head: Box;
    placed: Box[];
    width: number;
    height?: number;
    /** The same walk as the pending edit would leave it, drawn dashed. */
    pending?: PartResult<'rail.power'> | undefined;
  } = $props();

  const TOP = 30;
  const highest = $derived(
    Math.max(power.supply_ma, 1, ...power.steps.map((s) => s.left_ma + s.draw_ma)),
  );
  const lowest = $derived(Math.min(0, power.lowest_ma, pending?.lowest_ma ?? 0));
  const y = $derived(
    (ma: number) => TOP + ((highest - ma) / (highest - lowest)) * (height - TOP - 16),
  );
  const zero = $derived(y(0));

  /** The stair as corners: from the head's supply down at each module, up again at a feed-in. */
  const corners = $derived.by(() => {
    const points: [number, number][] = [
      [0, y(power.supply_ma)],
      [head.x + head.width, y(power.supply_ma)],
    ];
    power.steps.forEach((step, n) => {
      const box = placed[n];
      if (!box) return;
      points.push([box.x, y(step.left_ma)], [box.x + box.width + 2, y(step.left_ma)]);
    });
    return points;
  });
  const line = $derived(
    corners.map(([x, top], n) => (n === 0 ? `M${x} ${top}` : n % 2 ? `H${x}` : `V${top}`)).join(''),
  );
  /** The pending walk over today's places: what is inserted takes the place of what it would push on. */
  const later = $derived.by(() => {
    if (!pending) return '';
    let path = `M0 ${y(pending.supply_ma)}H${head.x + head.width}`;
    let x = head.x + head.width;
    pending.steps.forEach((step, n) => {
      const box = placed[n];
      if (!step.module && n >= placed.length) return;
      x = box ? box.x + box.width + 2 : x + 28;
      path += `V${y(step.left_ma)}H${Math.min(x, width)}`;
    });
    return path;
  });
  const area = $derived(`${line}V${zero}H0Z`);
  const ruled = $derived(
    power.steps.map((step, n) => ({ step, box: placed[n] })).filter((s) => s.box && s.step.module),
  );
  const fits = (n: number, left: number) => n === 0 || ruled[n - 1]?.step.left_ma !== left;
</script>

<svg
  {width}
  {height}
  role="img"
  aria-label="Internal supply left after each module; least {power.lowest_ma} mA"
>
  <defs>
    <clipPath id="above"><rect x="0" y="0" {width} height={Math.max(zero, 0)} /></clipPath>
    <clipPath id="below"
      ><rect x="0" y={zero} {width} height={Math.max(height - zero, 0)} /></clipPath
    >
  </defs>
  <text x="0" y="11" class="title">internal supply left after each module, mA</text>
  <path d={area} class="enough" clip-path="url(#above)" />
  <path d={area} class="short" clip-path="url(#below)" />
  <path d={line} class="line" clip-path="url(#above)" />
  <path d={line} class="line missing" clip-path="url(#below)" />
  {#if later}<path d={later} class="later" />{/if}
  <line x1="0" x2={width} y1={zero} y2={zero} class="zero" />
  <text x={(head.x + head.width) / 2} y={y(power.supply_ma) + 13} class="value" text-anchor="middle"
    >{power.supply_ma}</text
  >
  {#each ruled as { step, box }, n (step.module)}
    {#if box && fits(n, step.left_ma)}
      <text
        x={box.x + box.width / 2}
        y={step.left_ma < 0
          ? Math.min(y(step.left_ma) + 12, height - 2)
          : Math.max(y(step.left_ma) - 4, 25)}
        class="value"
        class:negative={step.left_ma < 0}
        text-anchor="middle">{String(step.left_ma).replace('-', '−')}</text
      >
    {/if}
    {#if step.feeds_ma != null && box}
      <text x={box.x + box.width / 2} y={height - 3} class="feed" text-anchor="middle"
        >▲ {step.feeds_ma}</text
      >
    {/if}
  {/each}
</svg>

<style>
  svg {
    display: block;
  }
  .title {
    fill: var(--ink-2);
    font-size: var(--f-note);
  }
  .enough {
    fill: var(--lichen-tint);
  }
  .short {
    fill: var(--bracken-tint);
  }
  .line {
    fill: none;
    stroke: var(--lichen);
    stroke-width: 2;
  }
  .later {
    fill: none;
    stroke: var(--heather);
    stroke-width: 1.5;
    stroke-dasharray: 5 3;
  }
  .missing {
    stroke: var(--bracken);
    stroke-dasharray: 4 2;
  }
  .zero {
    stroke: var(--ink);
  }
  .value {
    font: var(--f-small) var(--mono);
    fill: var(--ink);
  }
  .negative {
    fill: var(--bracken);
    font-weight: 600;
  }
  .feed {
    font: var(--f-small) var(--mono);
    fill: var(--lichen);
  }
</style>
