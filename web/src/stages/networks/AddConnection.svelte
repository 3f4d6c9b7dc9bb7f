<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** One more connection of a station, of a kind that its device offers. */
  let {
    plant,
    station,
    kinds,
    onmade,
    oncancel,
  }: {
    plant: PlantStore;
    station: string;
    kinds: { key: string; label: string; help: string }[];
    onmade: (connection: string) => void;
    oncancel: () => void;
  } = $props();

  let kind = $state(untrack(() => kinds[0]?.key ?? ''));
  const help = $derived(kinds.find((k) => k.key === kind)?.help ?? '');
  const edit = () => ({
    kind: 'add-connection' as const,
    station,
    connection: kind,
    tag: '$connection',
  });

  const making = new Making(
    untrack(() => plant),
    edit,
  );

  async function make() {
    const made = (await making.make('Add a connection'))?.tags['$connection'];
    if (made) onmade(made);
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  onchange={() => making.changed('Add this connection')}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >Connection
    <select bind:value={kind} use:focused>
      {#each kinds as k (k.key)}<option value={k.key}>{k.label}</option>{/each}
    </select></label
  >
  <span class="quiet help">{help}</span>
</InlineForm>

<style>
  .help {
    align-self: end;
    padding-bottom: var(--s2);
    max-width: 420px;
  }
</style>
