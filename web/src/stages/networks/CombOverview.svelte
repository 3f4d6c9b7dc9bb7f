<script lang="ts">
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { Drawing } from './comb';
  import { condition } from './condition';

  /** The whole of a comb that is wider than its room: what is to be looked at, and what is chosen. */
  let {
    plant,
    drawing,
    room,
    left,
    chosen,
    onleft,
  }: {
    plant: PlantStore;
    drawing: Drawing;
    /** How wide the part in view is, and where it begins, px. */
    room: number;
    left: number;
    chosen: string;
    onleft: (left: number) => void;
  } = $props();

  const scale = $derived(room / drawing.width);
  const marked = $derived(
    drawing.nodes
      .map((p) => ({
        p,
        state: p.node.station === chosen ? 'chosen' : condition(plant, p.node.station),
      }))
      .filter(({ state }) => state === 'chosen' || state === 'error' || state === 'warning'),
  );
</script>

<button
  class="plain overview"
  aria-label="Where in the network this is"
  title="All {plural(drawing.nodes.length, 'station')}: click to go there"
  style:width="{room}px"
  onclick={(event) => {
    const part = (event.clientX - event.currentTarget.getBoundingClientRect().left) / room;
    onleft(part * drawing.width - room / 2);
  }}
>
  <span class="window" style:left="{left * scale}px" style:width="{room * scale}px"></span>
  {#each marked as { p, state } (p.node.station)}
    <span class="tick {state}" style:left="{drawing.x(p) * scale}px"></span>
  {/each}
</button>

<style>
  .overview {
    display: block;
    position: relative;
    height: 14px;
    padding: 0;
    margin: calc(-1 * var(--s1)) 0 var(--s4);
    border: 1px solid var(--rule);
    background: var(--leaf);
  }
  .window {
    position: absolute;
    top: 0;
    bottom: 0;
    border-inline: 2px solid var(--ink-2);
    background: var(--paper);
  }
  .tick {
    position: absolute;
    top: 2px;
    bottom: 2px;
    width: 3px;
    margin-left: -1px;
    background: var(--heather);
  }
  .tick.error {
    background: var(--bracken);
  }
  .tick.warning {
    background: var(--gorse);
    top: 6px;
  }
</style>
