<script lang="ts">
  import { focused } from '../../kit/focus';
  import { Problem } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** The parameters in a device, read and written over the network by their paths while the bench runs. */
  let { plant, station }: { plant: PlantStore; station: string } = $props();

  const name = $derived(plant.row('stations', station)?.name ?? '');
  const parameters = $derived(
    plant.bench.running
      ? (plant.bench.state?.stations.find((s) => s.id === station)?.parameters ?? [])
      : [],
  );
  let entry = $state<{ key: string; text: string } | null>(null);
  let problem = $state('');

  async function ask(key: string, value: string | null) {
    problem = '';
    try {
      await plant.bench.command({ command: 'parameter', target: station, key, value });
      entry = null;
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }

  async function readAll() {
    for (const parameter of parameters) await ask(parameter.key, null);
  }
</script>

{#if parameters.length}
  <header class="row">
    <h2>Parameters in {name}</h2>
    <span class="quiet">in the device, not in the project</span>
    <span class="wide"></span>
    {#if plant.mayEdit}<button onclick={readAll}>Read all</button>{/if}
  </header>
  {#if problem}<p class="bad" role="alert">{problem}</p>{/if}
  <table>
    <thead>
      <tr
        ><th>Parameter</th><th>Path</th><th class="number">By the file</th><th class="number"
          >In the device</th
        ><th>Octets</th><th><span class="unseen">Value</span></th><th
          ><span class="unseen">What to do</span></th
        ></tr
      >
    </thead>
    <tbody>
      {#each parameters as parameter (parameter.key)}
        <tr>
          <td>{parameter.label}</td>
          <td class="mono">{parameter.path}</td>
          <td class="number">{parameter.usual}</td>
          <td class="number"
            >{#if entry?.key === parameter.key}
              <input
                class="mono"
                use:focused
                aria-label="New value of {parameter.label}"
                bind:value={entry.text}
                onkeydown={(event) => {
                  if (event.key === 'Enter' && entry) void ask(parameter.key, entry.text);
                  else if (event.key === 'Escape') entry = null;
                  else return;
                  event.preventDefault();
                  event.stopPropagation();
                }}
              />
            {:else if parameter.value != null}
              <strong>{parameter.meaning || shown(parameter.value)}</strong>
              {#if parameter.meaning}<span class="quiet mono">{shown(parameter.value)}</span>{/if}
            {:else}<span class="quiet">not read yet</span>{/if}</td
          >
          <td class="mono quiet">{parameter.octets}</td>
          <td
            >{#if parameter.text}<Mark
                state={parameter.good ? 'good' : 'error'}
                word={parameter.text}
              />{/if}</td
          >
          <td class="acts">
            {#if plant.mayEdit}
              <button class="plain" onclick={() => ask(parameter.key, null)}>Read</button>
              {#if parameter.writable}<button
                  class="plain"
                  onclick={() =>
                    (entry = { key: parameter.key, text: String(parameter.value ?? '') })}
                  >Write …</button
                >{/if}
            {/if}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<style>
  header {
    margin-top: var(--s5);
    align-items: baseline;
  }
  td {
    height: 25px;
    padding-top: 1px;
    padding-bottom: 1px;
    white-space: nowrap;
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  input {
    width: 90px;
    text-align: right;
  }
  .acts {
    text-align: right;
  }
  .bad {
    color: var(--bracken);
  }
</style>
