<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';

  /** The cables at a station that close a ring, and one more of them. */
  let { plant, station }: { plant: PlantStore; station: string } = $props();

  const network = $derived(plant.row('stations', station)?.network ?? '');
  const tree = $derived(plant.part('network.tree', network));
  const here = $derived(
    tree?.closings.filter((c) => c.one === station || c.other === station) ?? [],
  );
  // What has but one socket passes nothing on.
  const ends = $derived(
    tree?.nodes.filter((n) => n.station !== station && n.sockets !== 1).map((n) => n.station) ?? [],
  );
  const open = $derived(tree?.nodes.find((n) => n.station === station)?.sockets !== 1);
  const name = (id: string) => plant.row('stations', id)?.name ?? 'the controller';
  let other = $state('');

  async function close() {
    const edit = {
      kind: 'add-closing-cable' as const,
      network,
      one: station,
      other: other === 'port' ? null : other,
    };
    const label = `Cable from ${name(station)} to ${name(other)}`;
    const done = await plant.edit(edit, label).catch(() => null);
    if (done) other = '';
  }
</script>

{#if tree && (here.length || (open && plant.mayEdit))}
  <h3>Further cables</h3>
  {#each here as cable (cable.cable)}
    {@const first = cable.one === station}
    <button
      class="plain"
      onclick={() => router.go(`/p/${plant.key}/networks/${network}/${cable.cable}`)}
      >from socket {first ? cable.one_socket : cable.other_socket} to {name(
        first ? cable.other : cable.one,
      )}</button
    >
  {/each}
  {#if open && plant.mayEdit}
    <p class="row">
      <label
        >To close a ring, to
        <select bind:value={other}>
          <option value="">choose …</option>
          <option value="port">the controller</option>
          {#each ends as end (end)}<option value={end}>{name(end)}</option>{/each}
        </select>
      </label>
      <button disabled={!other} onclick={close}>Add</button>
    </p>
  {/if}
{/if}

<style>
  h3 {
    margin: var(--s4) 0 var(--s1);
  }
  button.plain {
    display: block;
    text-align: left;
  }
  select {
    max-width: 150px;
  }
</style>
