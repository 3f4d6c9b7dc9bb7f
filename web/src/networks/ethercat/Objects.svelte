<script lang="ts">
  import { Problem } from '../../api/client';
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import ObjectValue from './ObjectValue.svelte';
  import { differs, meant, plainly, type Area, type DeviceObject, type Known } from './objects';

  /** The objects in a device along their indices: one is looked at, and all are read and compared at once. */
  let {
    plant,
    network,
    row,
    areas,
    chosen = $bindable(),
  }: {
    plant: PlantStore;
    network: string;
    row: string;
    areas: Area[];
    chosen: string;
  } = $props();

  let known = $state.raw<Known>(new Map());
  let problem = $state('');
  let typed = $state('');
  let ticks = $state<HTMLElement>();

  const running = $derived(plant.bench.running);
  const under = $derived(running ? plant.bench.state?.objects?.[row] : undefined);
  const objects = $derived(areas.flatMap((area) => area.objects));
  const spelled = (index: number) => index.toString(16).toUpperCase().padStart(4, '0');
  const index = $derived(parseInt(chosen.slice(0, 4), 16));
  const object = $derived<DeviceObject | undefined>(
    chosen ? objects.find((one) => one.index === index) : objects[0],
  );
  // One that no file describes can be asked for all the same.
  const stranger = $derived<DeviceObject | undefined>(
    chosen && !object
      ? {
          index,
          label: 'not in its file',
          slot: 0,
          values: [
            {
              key: chosen,
              subindex: parseInt(chosen.slice(5), 16),
              label: '',
              data_type: '',
              bits: 0,
              access: 'rw',
              unit: '',
              usual: null,
              why: '',
              least: '',
              most: '',
              meanings: [],
            },
          ],
        }
      : undefined,
  );
  const shown = $derived(object ?? stranger);
  const different = $derived(
    objects.flatMap((one) =>
      one.values.filter((value) => differs(value, known)).map((value) => ({ object: one, value })),
    ),
  );
  const failed = $derived([...known.values()].filter((one) => !one.good).length);

  $effect(() => (running ? plant.bench.watched() : undefined));
  $effect(() => {
    const told = plant.bench.state?.objects_told ?? 0;
    if (running && told) void fetch(row);
    else known = new Map();
  });

  async function fetch(of: string) {
    try {
      const values = await plant.bench.objects(of);
      if (of === row) known = new Map(values.map((one) => [one.key, one]));
    } catch {
      // What is known stays; the top line says that nobody answers.
    }
  }

  async function command(key: string, value: string | null) {
    problem = '';
    try {
      await plant.bench.command({ command: 'object', target: row, key, value });
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }

  async function keep(key: string, what: { value: string } | { octets: string }) {
    problem = '';
    const [index = '', subindex = ''] = key.split(':');
    const values = { node: row, index: `16#${index}`, subindex: `16#${subindex}`, ...what };
    try {
      await plant.edit(
        { kind: 'on-network', network, edit: 'write', values },
        `Write 16#${key} at every start`,
      );
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }

  function go(event: SubmitEvent) {
    event.preventDefault();
    const key = meant(typed);
    problem = key ? '' : `“${typed}” is no index: in hex, as 6065 or 6065:1.`;
    if (key) chosen = key;
  }

  const look = (one: DeviceObject) =>
    one.values.some((value) => differs(value, known))
      ? 'other'
      : one.values.some((value) => known.get(value.key)?.good === false)
        ? 'failed'
        : one.values.some((value) => known.has(value.key))
          ? 'read'
          : '';

  function walk(event: KeyboardEvent) {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!by || !objects.length) return;
    event.preventDefault();
    event.stopPropagation();
    const at = object ? objects.indexOf(object) : 0;
    const next = objects[Math.min(Math.max(at + by, 0), objects.length - 1)]!;
    chosen = next.values[0]!.key;
    ticks?.querySelector<HTMLElement>(`[data-index="${next.index}"]`)?.focus();
  }
</script>

<section class="objects" aria-label="Objects">
  <header class="row">
    <h3>Objects</h3>
    <form onsubmit={go}>
      <input
        class="mono"
        bind:value={typed}
        placeholder="index, 6065:1"
        aria-label="Go to an index"
      />
    </form>
    <span class="wide"></span>
    {#if under}
      <span class="mono quiet">{under.done} of {under.asked}</span>
      <button
        onclick={() =>
          plant.bench.command({ command: 'stop-objects', target: row }).catch(() => {})}
        >Stop</button
      >
    {:else if running && plant.mayEdit}
      <button onclick={() => command('', null)}>Read all and compare</button>
    {:else}
      <span class="quiet">download to read what is in the device</span>
    {/if}
  </header>
  {#if problem}<p class="bad" role="alert">{problem}</p>{/if}

  <div
    class="areas"
    role="listbox"
    aria-label="Objects by index"
    tabindex="-1"
    bind:this={ticks}
    onkeydown={walk}
  >
    {#each areas as area (area.first)}
      <div class="area">
        <p class="quiet"><span class="mono">{spelled(area.first)}</span> {area.label}</p>
        <p class="ticks">
          {#each area.objects as one (one.index)}
            <button
              class="plain tick {look(one)}"
              class:chosen={shown === one}
              role="option"
              aria-selected={shown === one}
              tabindex={shown === one ? 0 : -1}
              data-index={one.index}
              aria-label="16#{spelled(one.index)} {one.label}"
              title="16#{spelled(one.index)} {one.label}"
              onclick={() => (chosen = one.values[0]!.key)}
            ></button>
          {/each}
        </p>
      </div>
    {/each}
  </div>

  {#if different.length}
    <p class="others">
      <strong>{plural(different.length, 'value differs', 'values differ')}</strong> from what is
      configured:
      {#each different.slice(0, 12) as { object: one, value } (value.key)}
        <button class="plain link" onclick={() => (chosen = value.key)}
          ><span class="mono">{value.key}</span>
          {value.label || one.label}: {plainly(known.get(value.key)!.forms!)}, not {plainly(
            value.usual!,
          )}</button
        >
      {/each}
      {#if different.length > 12}<span class="quiet">and {different.length - 12} more</span>{/if}
    </p>
  {:else if known.size && !under}
    <p class="quiet">
      {plural(known.size, 'value')} read{failed ? `, ${failed} could not be` : ''}; none differs
      from what is configured.
    </p>
  {/if}

  {#if shown}
    <h4>
      <span class="mono">16#{spelled(shown.index)}</span>
      {shown.label}
      {#if shown.slot}<span class="quiet">of the module in slot {shown.slot}</span>{/if}
    </h4>
    <div class="values">
      {#each shown.values as value (value.key)}
        <ObjectValue
          {plant}
          {value}
          label={shown.values.length < 2 ? '' : value.subindex ? value.label : 'how many there are'}
          there={known.get(value.key)}
          busy={!!under}
          onread={() => command(value.key, null)}
          onwrite={(text) => command(value.key, text)}
          onkeep={(what) => keep(value.key, what)}
        />
      {/each}
    </div>
  {/if}
</section>

<style>
  h3,
  h4 {
    margin: 0;
  }
  h4 {
    margin-top: var(--s4);
    font-size: var(--f-head);
  }
  h4 .quiet {
    font-weight: 400;
  }
  header {
    align-items: center;
  }
  header input {
    width: 116px;
    height: 24px;
  }
  header button {
    height: 24px;
    padding: 0 var(--s4);
    font-size: var(--f-note);
  }
  .areas {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s5);
    margin: var(--s3) 0;
  }
  .area {
    border-top: 2px solid var(--rule-2);
    padding-top: var(--s1);
  }
  .area p {
    margin: 0;
    font-size: var(--f-small);
  }
  .ticks {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1);
    max-width: 420px;
  }
  .tick {
    width: 11px;
    height: 18px;
    padding: 0;
    border: 1px solid var(--rule-2);
    border-radius: 0;
    background: var(--leaf);
  }
  .read {
    background: var(--lichen-tint);
    border-color: var(--lichen);
  }
  .other {
    background: repeating-linear-gradient(135deg, var(--gorse) 0 2px, var(--gorse-tint) 2px 5px);
    border-color: var(--gorse);
  }
  .failed {
    background: var(--bracken-tint);
    border-color: var(--bracken);
  }
  .chosen {
    outline: 2px solid var(--heather);
    outline-offset: 1px;
  }
  .others {
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s4);
    font-size: var(--f-note);
    align-items: baseline;
  }
  .link {
    height: auto;
    padding: 0;
    border: 0;
    font-size: var(--f-note);
    font-weight: 400;
    text-decoration: underline;
  }
  .values {
    max-height: 300px;
    overflow-y: auto;
  }
</style>
