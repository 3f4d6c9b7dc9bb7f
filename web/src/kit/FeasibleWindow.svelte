<script lang="ts">
  import { got, http, type Schemas } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import { shown } from './numbers';

  /** How far a time may go before something is wrong with it: tried out by the core on the whole plant. */
  let { plant, row, path }: { plant: PlantStore; row: string; path: string } = $props();
  let found = $state.raw<Schemas['Window'] | null>(null);
  let number = 0;

  $effect(() => {
    void plant.revision;
    const asked = ++number;
    http
      .GET('/api/plants/{key}/windows/{row_id}', {
        params: { path: { key: plant.key, row_id: row }, query: { path } },
      })
      .then((answer) => {
        // An answer that was overtaken by a later one is of no use any more.
        if (asked === number) found = answer.response.ok ? got(answer).window : null;
      })
      .catch(() => {});
  });

  // A ruler by ratio, a decade beyond either end: 10 ms to 100 ms is as long as 100 ms to 1 s.
  const ends = $derived.by(() => {
    if (!found?.low || !found.high) return null;
    const all = [found.low.value, found.high.value, found.now ?? found.low.value];
    return [Math.min(...all) / 2, Math.max(...all) * 2] as const;
  });
  const at = (value: number) =>
    ends ? (100 * Math.log(value / ends[0])) / Math.log(ends[1] / ends[0]) : 0;
</script>

{#if found && !found.low}
  <p class="told none">No value works: {found.against.join(' at one end, ')}.</p>
{:else if found?.low && found.high && ends}
  <div class="told">
    <div
      class="bar"
      role="img"
      aria-label="Right from {found.low.label || found.low.value} to {found.high.label ||
        found.high.value} {found.unit}"
    >
      <i
        style:left="{at(found.low.value)}%"
        style:width="{at(found.high.value) - at(found.low.value)}%"
      ></i>
      {#if found.now != null}<b
          style:left="{at(found.now)}%"
          class:out={found.now < found.low.value || found.now > found.high.value}
        ></b>{/if}
    </div>
    <span class="mono"
      >{found.low.label || shown(found.low.value)} … {found.high.label ||
        shown(found.high.value)}</span
    >
    <span class="unit">{found.unit}</span> raise no finding
    {#if found.low.title}<span class="edge" title={found.low.text}
        >below: {found.low.title.toLowerCase()}</span
      >{/if}
    {#if found.high.title}<span class="edge" title={found.high.text}
        >above: {found.high.title.toLowerCase()}</span
      >{/if}
  </div>
{/if}
{#if found?.remains.length}<p class="told">
    At any value: {found.remains.join(', ').toLowerCase()}.
  </p>{/if}

<style>
  .told {
    grid-column: 1 / -1;
    font-size: var(--f-small);
    color: var(--ink-2);
    margin: 0 0 var(--s3);
    text-align: right;
  }
  .none {
    color: var(--bracken);
  }
  .edge {
    display: block;
  }
  .bar {
    position: relative;
    height: 6px;
    margin: var(--s1) 0 var(--s2);
    background: var(--bracken-tint);
    border: 1px solid var(--rule-2);
  }
  .bar i {
    position: absolute;
    inset: 0 auto 0 0;
    background: var(--lichen-tint);
    border: solid var(--lichen);
    border-width: 0 1.5px;
  }
  .bar b {
    position: absolute;
    top: -3px;
    bottom: -3px;
    border-left: 2px solid var(--ink);
  }
  .bar b.out {
    border-color: var(--bracken);
  }
</style>
