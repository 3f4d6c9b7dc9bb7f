<script lang="ts">
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Problem, type Preview } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';
  import PlacePicker from '../../kit/PlacePicker.svelte';

  /** One signal or a run of them with a counting pattern, linked to consecutive places. */
  let {
    plant,
    onmade,
    oncancel,
  }: { plant: PlantStore; onmade: (id: string) => void; oncancel: () => void } = $props();

  const controllers = $derived(plant.list('controllers'));
  let owner = $state('');
  let pattern = $state('');
  let count = $state(1);
  let start = $state(1);
  let step = $state(1);
  let type = $state('BOOL');
  let unit = $state('');
  let place = $state('');
  let key = $state('');
  let scaled = $state(false);
  let span = $state({ raw_lo: '0', raw_hi: '30000', lo: '0', hi: '100' });
  let problem = $state<Problem | null>(null);
  let told = $state.raw<Preview | null>(null);
  let timer = 0;

  const controller = $derived(owner || controllers[0]?.id || '');
  const made = $derived((told?.rows ?? []).filter((row) => row.table === 'signals' && !row.before));

  // A place says what it holds: the type begins with that, until a hand chooses another.
  let chosenByHand = $state(false);
  const offered = $derived.by(() => {
    const channel = plant.part('module.channels', place)?.channels.find((c) => c.key === key);
    if (!channel) return '';
    return scaled && channel.kind.startsWith('A') ? 'REAL' : channel.data_type;
  });
  $effect(() => {
    if (offered && !chosenByHand) type = offered;
  });

  const types = $derived([
    ...plant.catalogue.data_types,
    ...plant.list('structures').map((one) => one.name),
    'ARRAY[1..8] OF REAL',
  ]);

  const edit = () => ({
    kind: 'add-signals' as const,
    controller,
    pattern: pattern.trim(),
    start,
    step,
    count,
    type,
    unit,
    note: '',
    place: place || null,
    key: place ? key || null : null,
    scaling: scaled ? { ...span } : null,
    tag: '$first',
  });

  function changed() {
    window.clearTimeout(timer);
    problem = null;
    if (!pattern.trim()) return;
    timer = window.setTimeout(
      async () => (told = await plant.tryOut(edit(), `Add ${pattern}`)),
      150,
    );
  }

  async function make() {
    window.clearTimeout(timer);
    try {
      const answer = await plant.edit(
        edit(),
        count > 1 ? `Add ${count} signals ${pattern}` : `Add signal ${pattern}`,
      );
      told = null;
      const first = answer?.tags['$first'];
      if (first) onmade(first);
    } catch (error) {
      problem = error instanceof Problem ? error : null;
    }
  }

  function leave() {
    plant.endPreview();
    oncancel();
  }
</script>

<InlineForm make="Add" problem={problem?.detail} onmake={make} onchange={changed} oncancel={leave}>
  {#if controllers.length > 1}
    <label
      >In <select bind:value={owner}>
        {#each controllers as c, n (c.id)}<option value={n ? c.id : ''}>{c.name}</option>{/each}
      </select></label
    >
  {/if}
  <label
    >Name or pattern <input
      class="mono"
      bind:value={pattern}
      required
      use:focused
      placeholder={'Bed{n}Temp'}
      class:bad={problem?.field === 'pattern'}
    /></label
  >
  <label
    >How many <input
      class="mono short"
      type="number"
      min="1"
      max="2000"
      bind:value={count}
    /></label
  >
  {#if count > 1}
    <label>counted from <input class="mono short" type="number" bind:value={start} /></label>
    <label>step <input class="mono short" type="number" bind:value={step} /></label>
  {/if}
  <label
    >Type <input
      class="mono type"
      bind:value={type}
      oninput={() => (chosenByHand = true)}
      list="types-of-signals"
      class:bad={problem?.field === 'type'}
      title="Elementary, a declared structure, or an array such as ARRAY[1..8] OF REAL"
    /><datalist id="types-of-signals">
      {#each types as t (t)}<option value={t}></option>{/each}
    </datalist></label
  >
  <label>Unit <input class="short" bind:value={unit} /></label>
  <PlacePicker {plant} {controller} bind:place bind:key />
  <label class="check"><input type="checkbox" bind:checked={scaled} /> scaled</label>
  {#if scaled}
    <label
      >raw <span class="pair"
        ><input class="mono short" aria-label="Raw, low" bind:value={span.raw_lo} /> …
        <input class="mono short" aria-label="Raw, high" bind:value={span.raw_hi} /></span
      ></label
    >
    <label
      >is <span class="pair"
        ><input class="mono short" aria-label="Value, low" bind:value={span.lo} /> …
        <input class="mono short" aria-label="Value, high" bind:value={span.hi} /></span
      ></label
    >
  {/if}
  {#if made.length > 1 && !problem}
    <p class="quiet">
      makes <span class="mono"
        >{made
          .slice(0, 3)
          .map((r) => r.after?.name)
          .join(', ')}{made.length > 4 ? ' … ' : made.length === 4 ? ', ' : ''}{made.length > 3
          ? made.at(-1)?.after?.name
          : ''}</span
      >
    </p>
  {/if}
</InlineForm>

<style>
  .short {
    width: 64px;
  }
  .type {
    width: 128px;
  }
  .pair {
    display: flex;
    gap: var(--s2);
    align-items: center;
  }
  .check {
    display: flex;
    align-items: center;
    padding-bottom: var(--s3);
  }
  p {
    flex-basis: 100%;
  }
</style>
