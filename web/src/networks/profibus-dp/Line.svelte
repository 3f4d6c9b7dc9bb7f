<script lang="ts">
  import { untrack } from 'svelte';
  import type { PartResult } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import { portLabel } from '../../plant/ports';
  import type { PlantStore } from '../../plant/store.svelte';
  import { condition } from '../../stages/networks/condition';
  import Addresses from './Addresses.svelte';
  import { laidOut } from './segments';

  /** The line as it is laid: each segment from end to end, a step down behind each repeater; below who is at which address. */
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

  type Node = PartResult<'profibus.line'>['segments'][number]['nodes'][number];

  const told = $derived(plant.part('profibus.line', network));
  const port = $derived(plant.row('ports', plant.row('networks', network)?.port));
  let width = $state(880);
  let scrolled = $state(0);
  const laid = $derived(laidOut(told?.segments ?? [], width));
  // Of a long line only what is seen of it is drawn.
  const drawn = $derived(
    laid.nodes.filter((at) => at.x > scrolled - 200 && at.x < scrolled + width + 200),
  );

  let box = $state<HTMLDivElement>();
  $effect(() => {
    const at = laid.nodes.find((node) => node.node.row === chosen);
    if (!at || !box) return;
    untrack(() => {
      if (box && (at.x < scrolled + 40 || at.x > scrolled + width - 40))
        box.scrollTo({ left: at.x - width / 2 });
    });
  });

  function ends(node: Node): 'in' | 'missing' | 'inside' | '' {
    if (node.at_end) return node.terminated ? 'in' : 'missing';
    return node.terminated ? 'inside' : '';
  }
  const END_WORDS = {
    in: 'terminator in',
    missing: 'terminator missing',
    inside: 'terminator in, and no end here',
    '': '',
  };
  const words = (node: Node) =>
    [
      node.name || (port ? portLabel(plant, port) : 'on no port'),
      node.repeats ? 'repeater' : node.address ? `address ${node.address}` : '',
      `${shown(node.at_m)} m along its segment`,
      END_WORDS[ends(node)],
    ]
      .filter(Boolean)
      .join(', ');
</script>

{#if told}
  <div
    class="line"
    role="listbox"
    aria-label="Stations along the cable"
    tabindex="-1"
    bind:this={box}
    bind:clientWidth={width}
    onscroll={(event) => (scrolled = event.currentTarget.scrollLeft)}
  >
    <div class="laid" style:width="{laid.width}px" style:height="{laid.height}px">
      {#each laid.trunks as trunk, n (n)}
        <span
          class="trunk"
          class:long={trunk.segment.length_m > trunk.segment.at_most_m}
          style:left="{trunk.from}px"
          style:width="{trunk.to - trunk.from}px"
          style:top="{trunk.y}px"
        ></span>
      {/each}
      {#each laid.legs as leg (leg.key)}
        <span class="leg mono" style:left="{leg.x}px" style:top="{leg.y}px">{shown(leg.m)} m</span>
      {/each}
      {#each drawn as { node, x, y, key, step } (key)}
        {@const end = ends(node)}
        {@const state = node.row ? condition(plant, node.row) : 'ok'}
        {#if !node.row}
          <span class="node port" style:left="{x}px" style:top="{y}px">
            <span class="mono address">{told.master}</span>
            <span class="dot master"></span>
            <strong>{port ? portLabel(plant, port) : 'on no port'}</strong>
            <span class="quiet">master</span>
          </span>
        {:else if !node.repeats || !step}
          <button
            class="plain node"
            class:chosen={chosen === node.row}
            class:repeater={node.repeats}
            role="option"
            aria-selected={chosen === node.row}
            title="{words(node)}. Alt+← and Alt+→ move it along"
            style:left="{x}px"
            style:top="{y}px"
            onclick={() => onchoose(node.row)}
          >
            {#if node.repeats}<strong class="above">{node.name}</strong>
            {:else}<span class="mono address">{node.address || '—'}</span>{/if}
            <span class="dot {state}"
              >{#if state === 'error' || state === 'warning'}<Mark {state} />{/if}</span
            >
            {#if !node.repeats}
              <strong>{node.name}</strong>
              <span class="quiet"
                >{plant.row('stations', node.row)?.designation ||
                  (plant.type(plant.row('stations', node.row)?.type ?? '')?.name ?? '')}</span
              >
            {/if}
            {#if node.stub_m}<span class="quiet"
                >stub <span class="mono">{shown(node.stub_m)}</span> m</span
              >{/if}
            {#if end}<span class="unseen">{END_WORDS[end]}</span>{/if}
          </button>
        {/if}
        {#if end}
          <svg
            class="end {end}"
            class:behind={step}
            class:before={node.repeats && !step}
            width="18"
            height="18"
            style:left="{x}px"
            style:top="{y}px"
            aria-hidden="true"
          >
            <path d="M9 0v4M6 4h6v10H6zM9 14v4" />
            {#if end === 'missing'}<path d="M2 3l14 12" class="cross" />{/if}
          </svg>
        {/if}
      {/each}
    </div>
  </div>
  <ul class="segments">
    {#each told.segments as segment, n (n)}
      <li>
        <span class="quiet">{told.segments.length > 1 ? `Segment ${n + 1}` : 'One segment'}</span>
        <span class="bar" class:over={segment.length_m > segment.at_most_m}
          ><i style:width="{Math.min((100 * segment.length_m) / segment.at_most_m, 100)}%"
          ></i></span
        >
        <span
          ><span class="mono">{shown(segment.length_m)}</span> of
          <span class="mono">{shown(segment.at_most_m)}</span> m ·
          <span class="mono">{segment.nodes.length}</span> of 32</span
        >
      </li>
    {/each}
  </ul>
  <Addresses {plant} {network} {chosen} {onchoose} />
{/if}

<style>
  .line {
    overflow-x: auto;
    contain: content;
  }
  .laid {
    position: relative;
  }
  .trunk {
    position: absolute;
    height: 3px;
    margin-top: -1px;
    background: var(--ink);
  }
  .trunk.long {
    background: var(--bracken);
  }
  .leg {
    position: absolute;
    transform: translate(-50%, -100%);
    font-size: var(--f-tiny);
    color: var(--ink-2);
    white-space: nowrap;
    padding-bottom: var(--s1);
  }
  .node {
    position: absolute;
    width: 84px;
    transform: translate(-50%, -26px);
    display: flex;
    flex-direction: column;
    align-items: center;
    gap: var(--s1);
    padding: 0;
    border: 0;
    border-radius: 0;
    font-weight: 400;
    font-size: var(--f-note);
    text-align: center;
  }
  .node,
  .node:hover {
    background: none;
  }
  .node .above {
    height: 16px;
    font-size: var(--f-small);
  }
  .node strong {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .node .quiet {
    font-size: var(--f-tiny);
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .address {
    height: 16px;
    font-size: var(--f-small);
    color: var(--ink-2);
  }
  .dot {
    position: relative;
    width: 13px;
    height: 13px;
    border: 2px solid var(--ink);
    background: var(--leaf);
  }
  .dot :global(svg),
  .dot :global(.mark) {
    position: absolute;
    left: 12px;
    top: -12px;
  }
  .master {
    background: var(--ink);
  }
  .repeater .dot {
    width: 13px;
    height: 40px;
    background: var(--sunk);
    border-radius: var(--s1);
  }
  .chosen .dot {
    background: var(--heather);
    border-color: var(--heather);
  }
  .chosen strong {
    color: var(--heather);
  }
  .end {
    position: absolute;
    transform: translate(10px, -24px);
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .end.before {
    transform: translate(-30px, 4px);
  }
  .end.behind {
    transform: translate(10px, 4px);
  }
  .end.missing,
  .end.inside {
    stroke: var(--bracken);
  }
  .cross {
    stroke-width: 2;
  }
  .segments {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s6);
    margin: var(--s2) 0;
    padding: 0;
    list-style: none;
    font-size: var(--f-note);
  }
  .segments li {
    display: flex;
    align-items: center;
    gap: var(--s2);
    white-space: nowrap;
  }
  .bar {
    width: 96px;
    height: 8px;
    background: var(--sunk);
    border: 1px solid var(--rule-2);
  }
  .bar i {
    display: block;
    height: 100%;
    background: var(--tarn);
  }
  .bar.over i {
    background: var(--bracken);
  }
</style>
