<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';

  /** Where an axis may go, to scale: hard stops, cams that hold the switches, soft limits; small without words. */
  let {
    told,
    unit,
    speedUnit,
    small = false,
    label,
  }: {
    told: PartResult<'axis.travel'>;
    unit: string;
    speedUnit: string;
    small?: boolean;
    label: string;
  } = $props();

  let width = $state(0);
  const W = $derived(small ? 240 : Math.max(width, 320));
  const MARGIN = $derived(small ? 4 : 46);
  const height = $derived(small ? 20 : 96);
  const line = $derived(small ? 10 : 48);

  const at = $derived(
    told.ends.flatMap((end) => [end.soft, end.switch, end.stop].filter((v) => v !== null)),
  );
  const low = $derived(Math.min(...at));
  const high = $derived(Math.max(...at));
  const x = (value: number) =>
    MARGIN + (high > low ? (value - low) / (high - low) : 0.5) * (W - 2 * MARGIN);
  const drawn = $derived(told.ends.length > 0 && at.length > 1 && high > low);
  const far = (end: (typeof told.ends)[number]) => (end.way < 0 ? low : high);
  const cam = (end: (typeof told.ends)[number]) =>
    end.switch === null
      ? null
      : end.cam === null
        ? far(end)
        : Math.min(Math.max(end.switch + end.way * end.cam, low), high);
  const begin = $derived(x(told.ends[0]?.soft ?? low));
  const stop = $derived(x(told.ends[1]?.soft ?? high));
</script>

{#snippet marks()}
  <line class="way" x1={begin} x2={stop} y1={line} y2={line} />
  <line class="beyond" x1={x(low)} x2={x(high)} y1={line} y2={line} />
  {#each told.ends as end (end.way)}
    {@const held = cam(end)}
    {#if end.switch !== null && held !== null}
      <rect
        class="cam"
        x={Math.min(x(end.switch), x(held))}
        width={Math.abs(x(held) - x(end.switch))}
        y={line - (small ? 5 : 10)}
        height={small ? 5 : 10}
      />
    {/if}
    {#if end.stop !== null}
      <rect
        class="stop"
        x={x(end.stop) + (end.way < 0 ? -4 : 0)}
        y={line - (small ? 7 : 15)}
        width="4"
        height={small ? 14 : 30}
      />
    {/if}
    {#if end.soft !== null}
      <path
        class="soft"
        d="M{x(end.soft) - 4 * end.way},{line - (small ? 6 : 12)} h{4 * end.way} v{small
          ? 12
          : 24} h{-4 * end.way}"
      />
    {/if}
  {/each}
{/snippet}

{#if !told.ends.length}
  <span class="words mono"
    >{#if told.modulo !== null}↻ {shown(told.modulo)} {unit}{:else if told.speed !== null}→ {shown(
        told.speed,
      )}
      {speedUnit}{:else}no speed set{/if}</span
  >
{:else if !drawn}
  <span class="quiet">{small ? 'no limits set' : 'No limits are set yet.'}</span>
{:else if small}
  <svg width="240" height="20" viewBox="0 0 240 20" role="img" aria-label={label}>
    {@render marks()}
  </svg>
{:else}
  <div bind:clientWidth={width}>
    <svg width={W} {height} role="img" aria-label={label}>
      {@render marks()}
      {#each told.ends as end (end.way)}
        {#if told.stopping !== null}
          {#each [end.soft, end.switch] as from, n (n)}
            {#if from !== null}
              <!-- How far it goes on when it is stopped here. -->
              <path
                class="runout"
                d="M{x(from)},{line + 17 + n * 6} h{Math.max(
                  Math.abs(x(from + end.way * told.stopping) - x(from)),
                  2,
                ) * end.way}"
              />
            {/if}
          {/each}
        {/if}
        {#if end.soft !== null}
          <text
            class="mono"
            x={x(end.soft) + (end.way < 0 ? 8 : -8)}
            y={line - 16}
            text-anchor={end.way < 0 ? 'start' : 'end'}>soft {shown(end.soft)}</text
          >
        {/if}
        {#if end.stop !== null}
          <text
            class="mono"
            x={x(end.stop) + (end.way < 0 ? -4 : 4)}
            y={line - 34}
            text-anchor={end.way < 0 ? 'start' : 'end'}>stop {shown(end.stop)}</text
          >
        {/if}
        {#if end.switch !== null}
          <text
            class="mono"
            x={x(end.switch)}
            y={line + 42}
            text-anchor={end.way < 0 ? 'start' : 'end'}>switch {shown(end.switch)}</text
          >
        {/if}
      {/each}
    </svg>
  </div>
{/if}

<style>
  svg {
    display: block;
  }
  .way {
    stroke: var(--ink);
    stroke-width: 3;
  }
  .beyond {
    stroke: var(--ink-3);
    stroke-width: 1;
  }
  .cam {
    fill: var(--gorse-tint);
    stroke: var(--gorse);
  }
  .stop {
    fill: var(--ink);
  }
  .soft {
    fill: none;
    stroke: var(--tarn);
    stroke-width: 2;
  }
  .runout {
    stroke: var(--bracken);
    stroke-width: 3;
  }
  text {
    fill: var(--ink);
    font-size: var(--f-small);
  }
</style>
