<script lang="ts">
  import { Problem, type Schemas } from '../../../api/client';
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';

  /** Parameters in a device on a port, as its file lists them: read and written through the master while the bench runs. */
  let { plant, module }: { plant: PlantStore; module: string } = $props();

  let known = $state.raw<Map<string, Schemas['ObjectLiveOut']>>(new Map());
  let writing = $state('');
  let typed = $state('');
  let problem = $state('');
  let open = $state(false);
  let field = $state<HTMLElement>();

  const listed = $derived(plant.part('module.port-parameters', module) ?? []);
  const running = $derived(plant.bench.running);
  const under = $derived(running ? plant.bench.state?.objects?.[module] : undefined);
  const now = (key: string) => known.get(key);

  $effect(() => (running ? plant.bench.watched() : undefined));
  $effect(() => {
    const told = plant.bench.state?.objects_told ?? 0;
    if (running && told) void fetch(module);
    else known = new Map();
  });
  $effect(() => field?.focus());

  async function fetch(of: string) {
    try {
      const values = await plant.bench.objects(of);
      if (of === module) known = new Map(values.map((one) => [one.key, one]));
    } catch {
      // What is known stays; the top line says that nobody answers.
    }
  }

  async function command(key: string, value: string | null): Promise<boolean> {
    problem = '';
    try {
      await plant.bench.command({ command: 'object', target: module, key, value });
      return true;
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
      return false;
    }
  }

  async function write(event: SubmitEvent) {
    event.preventDefault();
    if (await command(writing, typed)) writing = '';
  }

  function begin(key: string, usual: string) {
    writing = key;
    typed = now(key)?.forms?.text || usual;
  }
</script>

{#if listed.length}
  <details bind:open>
    <summary>{plural(listed.length, 'parameter')}</summary>
    <p class="row">
      <button
        disabled={!running || !!under}
        title={running
          ? 'One after the other, through the master'
          : 'The bench is idle: download and run'}
        onclick={() => void command('', null)}>Read all</button
      >
      {#if under}<span class="quiet" role="status">{under.done} of {under.asked} read</span>
        <button
          class="plain"
          onclick={() =>
            void plant.bench.command({
              command: 'stop-objects',
              target: module,
              key: '',
              value: null,
            })}>Stop</button
        >
      {:else if !running}<span class="quiet"
          >they are in the device: run the bench to read them</span
        >{/if}
      {#if problem}<span class="bad" role="alert">{problem}</span>{/if}
    </p>
    <table>
      <thead>
        <tr><th>Index</th><th>Parameter</th><th>As delivered</th><th>In the device</th><th></th></tr
        >
      </thead>
      <tbody>
        {#each listed as one, n (one.key)}
          {@const there = now(one.key)}
          {#if one.menu !== listed[n - 1]?.menu}
            <tr class="menu"><th colspan="5">{one.menu || 'In no menu of its file'}</th></tr>
          {/if}
          <tr class:differs={there?.good && one.usual !== '' && there.forms?.text !== one.usual}>
            <td class="mono">{one.key.replace(':00', '')}</td>
            <td title={one.text}>{one.label}</td>
            <td class="quiet">{one.usual}</td>
            <td>
              {#if writing === one.key}
                <form class="row" onsubmit={write}>
                  {#if one.choices.length}
                    <select bind:this={field} bind:value={typed} aria-label={one.label}>
                      {#each one.choices as choice (choice)}<option>{choice}</option>{/each}
                    </select>
                  {:else}<input
                      bind:this={field}
                      bind:value={typed}
                      aria-label={one.label}
                      onkeydown={(event) => event.key === 'Escape' && (writing = '')}
                    />{/if}
                  <button>Write</button>
                </form>
              {:else if there}<span class:bad={!there.good} title={there.forms?.octets}
                  >{there.good ? there.forms?.text || there.forms?.octets : there.text}</span
                >{/if}
            </td>
            <td class="acts">
              {#if running && one.access !== 'wo' && writing !== one.key}<button
                  class="plain"
                  aria-label="Read {one.label}"
                  onclick={() => void command(one.key, null)}>read</button
                >{/if}
              {#if running && plant.mayEdit && one.access !== 'ro' && writing !== one.key}<button
                  class="plain"
                  aria-label="Write {one.label}"
                  onclick={() => begin(one.key, one.usual)}>write</button
                >{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </details>
{/if}

<style>
  details {
    margin-top: var(--s5);
  }
  summary {
    cursor: pointer;
    font-weight: 600;
  }
  p {
    margin: var(--s3) 0;
  }
  td {
    height: 25px;
    padding-top: 1px;
    padding-bottom: 1px;
  }
  .menu th {
    padding-top: var(--s4);
    font-weight: 600;
    color: var(--ink-2);
  }
  .differs td:nth-child(4) {
    color: var(--gorse);
    font-weight: 600;
  }
  .acts {
    text-align: right;
    white-space: nowrap;
  }
  form input,
  form select {
    width: 150px;
  }
  .bad {
    color: var(--bracken);
  }
</style>
