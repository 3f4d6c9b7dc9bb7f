<script lang="ts">
  import type { Schemas } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';

  /** Whoever answers for himself at a station: those who do not go on with why, the others in a row; what lamps show. */
  let { station }: { station: Schemas['BenchOut']['stations'][number] } = $props();

  const nodes = $derived(station.nodes);
  const failing = $derived(nodes.filter((node) => !node.good));
  const well = $derived(nodes.filter((node) => node.good));
  const said = (node: (typeof nodes)[number]) => (nodes.length > 1 ? node.name : node.state);
</script>

{#each failing as node (node.row)}
  <p class="node">
    <code>{node.address}</code>
    <Mark state="error" word={nodes.length > 1 ? node.name : node.state || 'nobody'} />
    {#if nodes.length > 1}<span>{node.text}</span>{/if}
    <span class="quiet"
      >{[node.code, node.lamps && `lamps ${node.lamps}`].filter(Boolean).join(' · ')}</span
    >
  </p>
{/each}
{#if well.length}
  <p class="well quiet">
    {#each well as node (node.row)}
      <span class="one" title="At {node.address}: {node.state}, lamps {node.lamps}"
        ><code>{node.address}</code> {said(node)}</span
      >
    {/each}
    <span>{nodes.length > 1 ? `${well[0]!.state} · ` : ''}lamps {well[0]!.lamps}</span>
  </p>
{/if}

<style>
  .node,
  .well {
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s3);
    align-items: baseline;
    font-size: var(--f-note);
  }
  .one {
    white-space: nowrap;
  }
</style>
