<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Problem } from '../../api/client';
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
  let problem = $state<Problem | null>(null);
  const help = $derived(kinds.find((k) => k.key === kind)?.help ?? '');
  const edit = () => ({
    kind: 'add-connection' as const,
    station,
    connection: kind,
    tag: '$connection',
  });

  function changed() {
    problem = null;
    void plant.tryOut(edit(), 'Add this connection');
  }

  async function make() {
    try {
      const answer = await plant.edit(edit(), 'Add a connection');
      const made = answer?.tags['$connection'];
      if (made) onmade(made);
    } catch (error) {
      problem = error instanceof Problem ? error : null;
    }
  }

  function leave() {
    plant.endPreview();
    oncancel();
  }
</script>

<InlineForm
  make="Add it"
  problem={problem?.detail}
  onmake={make}
  onchange={changed}
  oncancel={leave}
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
    padding-bottom: 5px;
    max-width: 420px;
  }
</style>
