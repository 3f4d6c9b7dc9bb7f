<script lang="ts">
  import type { Drawing, CombNode } from './comb';
  import type { PartResult } from '../../api/client';

  /** Cables, bars of switches with their sockets, and what closes a ring. */
  let {
    tree,
    drawing,
    seen,
    chosen,
    over,
  }: {
    tree: PartResult<'network.tree'>;
    drawing: Drawing;
    /** What of the drawing is in view. */
    seen: ReturnType<Drawing['within']>;
    chosen: string;
    /** The switch that something is dragged over. */
    over: string | null;
  } = $props();

  // Of sockets that stand closer than this, px, every other number is told.
  const CLOSE = 15;
  const thick = (node: CombNode) => 1.5 + 7 * Math.sqrt(Math.min(node.load, 1));
</script>

<svg width={drawing.width} height={drawing.height} aria-hidden="true">
  {#if !tree.said}
    <path d={drawing.spine()} class="cable unsaid" stroke-width="1.5" />
  {/if}
  {#each seen as p (p.node.station)}
    {@const way = tree.said ? drawing.cable(p) : drawing.drop(p)}
    <path
      d={way}
      class="cable"
      class:unsaid={!tree.said}
      class:full={p.node.full}
      stroke-width={thick(p.node)}
    />
    {#if p.node.fibre}<path d={way} class="core" stroke-width={thick(p.node) - 1} />{/if}
    {#if p.node.flood_packets_s}
      <path d={way} class="flood" stroke-width={thick(p.node) + 5} />
    {/if}
  {/each}
  {#each seen as p (p.node.station)}
    {#if p.node.switch}
      <rect
        x={drawing.barStart(p)}
        y={drawing.y(p) - 8}
        width={drawing.barEnd(p) - drawing.barStart(p)}
        height="16"
        class="bar"
        data-hang={p.node.station}
        class:chosen={chosen === p.node.station}
        class:over={over === p.node.station}
        class:snoops={p.node.snoops}
      />
    {/if}
  {/each}
  {#each seen as p (p.node.station)}
    {@const upper = drawing.at.get(p.node.upstream)}
    {#if upper?.node.switch && !p.onward && (drawing.step >= CLOSE || p.node.socket % 2 === 0)}
      <text
        x={drawing.x(p)}
        y={drawing.y(upper) + 4}
        class="socket"
        class:narrow={drawing.step < CLOSE}>{p.node.socket}</text
      >
    {/if}
  {/each}
  {#each tree.closings as closing (closing.cable)}
    <path
      d={drawing.arc(closing.one, closing.other)}
      class="closing"
      class:chosen={chosen === closing.cable}
    />
  {/each}
</svg>

<style>
  svg {
    position: absolute;
    left: 0;
    top: 0;
  }
  .closing {
    stroke: var(--ink-2);
    stroke-width: 1.5;
    stroke-dasharray: 7 4;
    fill: none;
  }
  .closing.chosen {
    stroke: var(--heather);
    stroke-width: 2.5;
  }
  .core {
    stroke: var(--paper);
    fill: none;
  }
  .cable {
    stroke: var(--ink);
    fill: none;
  }
  .cable.unsaid {
    stroke: var(--ink-3);
    stroke-dasharray: 4 3;
  }
  .cable.full {
    stroke: var(--bracken);
  }
  .flood {
    stroke: var(--gorse);
    stroke-dasharray: 2 4;
    fill: none;
    opacity: 0.75;
  }
  .bar {
    fill: var(--leaf);
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .bar.snoops {
    fill: var(--tarn-tint);
  }
  .bar.chosen {
    stroke: var(--heather);
    stroke-width: 2.5;
  }
  .bar.over {
    fill: var(--heather-tint);
  }
  .socket {
    font: var(--f-tiny) var(--mono);
    fill: var(--ink-2);
    text-anchor: middle;
  }
  .socket.narrow {
    font-size: var(--f-tiny);
  }
</style>
