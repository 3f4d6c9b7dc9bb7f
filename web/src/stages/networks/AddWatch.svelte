<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A ready-made pair of exchanges that watches whether the far end is alive. */
  let {
    plant,
    connection,
    watches,
    onmade,
    oncancel,
  }: {
    plant: PlantStore;
    connection: string;
    watches: Record<string, string>;
    onmade: (exchange: string) => void;
    oncancel: () => void;
  } = $props();

  let watch = $state(untrack(() => Object.keys(watches)[0] ?? ''));
  let write = $state('');
  let read = $state('');
  let period = $state('500');
  const help = $derived(
    watch === 'beat'
      ? 'A counter is written each time; what comes back must go on changing.'
      : 'A bit is turned, mirrored there, and timed until it is read back.',
  );

  const edit = () => ({
    kind: 'add-watch' as const,
    connection,
    watch,
    write: write || null,
    read: read || null,
    period_ms: Number(period),
    tag: '$watch',
  });

  const making = new Making(
    untrack(() => plant),
    edit,
  );

  async function make() {
    const made = (await making.make(`Add ${watches[watch]}`))?.tags['$watch'];
    if (made) onmade(made);
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  onchange={() => making.changed(`Add ${watches[watch]}`)}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >Watch
    <select bind:value={watch} use:focused>
      {#each Object.entries(watches) as [key, label] (key)}<option value={key}>{label}</option
        >{/each}
    </select></label
  >
  <label>Written to <input class="mono" bind:value={write} placeholder="next free" /></label>
  <label>Read from <input class="mono" bind:value={read} placeholder="the same" /></label>
  <label
    >Every <span class="entry"
      ><input class="mono" bind:value={period} aria-label="Every" />
      <span class="unit">ms</span></span
    ></label
  >
  <span class="quiet help">{help}</span>
</InlineForm>

<style>
  input {
    width: 70px;
    text-align: right;
  }
  .help {
    align-self: end;
    padding-bottom: var(--s2);
    max-width: 300px;
  }
</style>
