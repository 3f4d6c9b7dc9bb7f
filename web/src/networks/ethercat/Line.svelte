<script lang="ts">
  import { untrack } from 'svelte';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { condition } from '../../stages/networks/condition';
  import { places, within, type OnRuler } from './slivers';

  /** Everybody at his position, and below each what adds up along the way of a frame. */
  let {
    plant,
    network,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    network: string;
    chosen: string;
    onchoose: (station: string) => void;
  } = $props();

  const ruler = $derived(plant.part('ethercat.ruler', network));
  const nodes = $derived(ruler?.nodes ?? []);
  const at = $derived(places(nodes));
  const full = $derived(at[at.length - 1] ?? 0);
  let scrolled = $state(0);
  let width = $state(900);
  const seen = $derived(within(at, scrolled - 200, scrolled + width + 200));
  const drawn = $derived(nodes.slice(...seen).map((node, n) => ({ node, x: at[seen[0] + n]! })));
  const deepest = $derived(Math.max(1, ...nodes.map((node) => node.delay_us)));
  const most = $derived(Math.max(1, ...nodes.map((node) => node.left_ma ?? 0)));
  const supplied = $derived(nodes.some((node) => node.left_ma !== null));

  let box = $state<HTMLDivElement>();
  // Whoever is chosen elsewhere is brought into sight.
  $effect(() => {
    const n = nodes.findIndex((node) => node.row === chosen);
    if (n < 0 || !box) return;
    const [first, last] = [at[n] ?? 0, at[n + 1] ?? 0];
    untrack(() => {
      if (box && (first < scrolled || last > scrolled + width))
        box.scrollTo({ left: first - width / 2 });
    });
  });

  function name(node: OnRuler): string {
    if (!node.module) return plant.row('stations', node.station)?.name ?? '';
    return plant.row('modules', node.row)?.designation || node.label;
  }

  function words(node: OnRuler): string {
    const data = `${node.in_octets} octets in, ${node.out_octets} out`;
    const clock = node.reference
      ? ', its clock is followed'
      : node.sync1_us
        ? ', Sync0 and Sync1'
        : node.sync0_us
          ? ', Sync0'
          : '';
    return `Position ${node.position}, ${name(node)}, ${node.label}: ${data}${clock}`;
  }
</script>

{#if ruler}
  <div
    class="ruler"
    role="listbox"
    aria-label="Devices by position"
    tabindex="-1"
    bind:this={box}
    bind:clientWidth={width}
    onscroll={(event) => (scrolled = event.currentTarget.scrollLeft)}
  >
    <div class="long" style:width="{full}px">
      {#each drawn as { node, x } (node.row)}
        {@const state = node.module ? 'ok' : condition(plant, node.station)}
        <button
          class="plain sliver"
          class:module={node.module}
          class:chosen={chosen === node.row}
          class:rail={chosen === node.station && node.module}
          class:branch={node.depth > 0}
          role="option"
          aria-selected={chosen === node.row}
          aria-label={words(node)}
          title={words(node)}
          style:left="{x}px"
          style:width="{(at[seen[0] + drawn.findIndex((d) => d.node === node) + 1] ?? full) - x}px"
          onclick={() => onchoose(node.row)}
        >
          <span class="position mono">{node.position}</span>
          <span class="body">
            {#if node.module}
              <span class="upright">{name(node)}</span>
            {:else}
              <strong>{name(node)}</strong>
              <span class="quiet">{node.label}</span>
              {#if state === 'error' || state === 'warning'}<Mark {state} />{/if}
            {/if}
          </span>
          {#if supplied}
            <span class="cell"
              >{#if node.left_ma !== null}<i
                  class="bar current"
                  class:short={node.left_ma < 0}
                  style:height="{(14 * Math.max(node.left_ma, 0)) / most + 1}px"
                ></i><span class="figure mono">{node.module ? '' : node.left_ma}</span>{/if}</span
            >
          {/if}
          <span class="cell"
            ><i class="bar delay" style:height="{(14 * node.delay_us) / deepest + 1}px"
            ></i>{#if !node.module}<span class="figure mono">{shown(node.delay_us, 3)}</span
              >{/if}</span
          >
          <span class="cell mono figure">{node.counter ? `+${node.counter}` : ''}</span>
          <span class="cell octets mono figure">
            {#if node.in_octets}<span class="in">◂{node.in_octets}</span>{/if}
            {#if node.out_octets}<span class="out">{node.out_octets}▸</span>{/if}
          </span>
          <span class="cell clock figure"
            >{#if node.reference}<strong>clock</strong
              >{:else if node.sync0_us !== null}{node.sync1_us === null
                ? 'Sync0'
                : 'Sync0, 1'}{/if}</span
          >
        </button>
      {/each}
    </div>
  </div>
  <ul class="legend quiet">
    {#if supplied}<li>internal supply left, mA</li>{/if}
    <li>delay on the way out, µs</li>
    <li>working counter, together <span class="mono">{ruler.counter}</span></li>
    <li>octets ◂ in, ▸ out</li>
    <li>clocks {ruler.clocks ? 'on' : 'off'}</li>
  </ul>
{/if}

<style>
  .ruler {
    overflow-x: auto;
    contain: content;
    border-bottom: 1px solid var(--rule-2);
  }
  .long {
    position: relative;
    height: 222px;
  }
  .sliver {
    position: absolute;
    top: 0;
    display: flex;
    flex-direction: column;
    align-items: stretch;
    gap: var(--s1);
    padding: 0 var(--s1);
    border: 0;
    border-radius: 0;
    text-align: center;
    height: 216px;
    contain: layout style;
  }
  .position {
    font-size: var(--f-tiny);
    color: var(--ink-2);
  }
  .body {
    position: relative;
    display: flex;
    flex-direction: column;
    justify-content: center;
    align-items: center;
    height: 88px;
    padding: var(--s1);
    overflow: hidden;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
    border-top: 4px solid var(--ink);
  }
  .module .body {
    height: 76px;
    margin-top: var(--s5);
    background: var(--sunk);
    border-top: 1px solid var(--rule-2);
  }
  .branch .body {
    border-top-style: double;
  }
  .rail .body {
    border-color: var(--heather);
  }
  .chosen .body {
    background: var(--heather-tint);
    border-color: var(--heather);
  }
  .body strong {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: var(--f-note);
  }
  .body .quiet {
    font-size: var(--f-tiny);
  }
  .upright {
    writing-mode: vertical-rl;
    transform: rotate(180deg);
    font-size: var(--f-small);
    font-weight: 400;
    white-space: nowrap;
  }
  .cell {
    position: relative;
    display: flex;
    justify-content: center;
    align-items: flex-end;
    height: 18px;
    border-bottom: 1px solid var(--rule);
    font-weight: 400;
  }
  .figure {
    font-size: var(--f-tiny);
    position: relative;
  }
  .bar {
    position: absolute;
    inset: auto var(--s1) 0;
  }
  .current {
    background: var(--gorse-tint);
  }
  .current.short {
    background: var(--bracken);
    height: 100%;
  }
  .delay {
    background: var(--tarn-tint);
  }
  .octets {
    gap: var(--s2);
  }
  .in {
    color: var(--tarn);
  }
  .out {
    color: var(--lichen);
  }
  .clock {
    color: var(--ink-2);
  }
  .legend {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s6);
    margin: var(--s3) 0 var(--s5);
    padding: 0;
    list-style: none;
    font-size: var(--f-note);
  }
</style>
