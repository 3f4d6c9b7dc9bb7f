<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A station by its name and address; what is left empty is the next of the run. */
  let {
    plant,
    network,
    onmade,
    oncancel,
  }: {
    plant: PlantStore;
    network: string;
    onmade: (station: string, connection: string | null) => void;
    oncancel: () => void;
  } = $props();

  let name = $state('');
  let address = $state('');
  const edit = () => ({
    kind: 'add-station' as const,
    network,
    name: name.trim() || null,
    address: address.trim() || null,
    tag: '$station',
    connection_tag: '$connection',
  });

  const making = new Making(
    untrack(() => plant),
    edit,
  );

  async function make() {
    const tags = (await making.make(name.trim() ? `Add station ${name.trim()}` : 'Add station'))
      ?.tags;
    if (tags?.['$station']) onmade(tags['$station'], tags['$connection'] ?? null);
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  onchange={() => making.changed('Add this station')}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >Name
    <input
      bind:value={name}
      use:focused
      placeholder="the next of the run"
      class:bad={making.problem?.field === 'name'}
    /></label
  >
  <label
    >Address
    <input
      class="mono"
      bind:value={address}
      placeholder="the next free one"
      class:bad={making.problem?.field === 'address'}
    /></label
  >
</InlineForm>
