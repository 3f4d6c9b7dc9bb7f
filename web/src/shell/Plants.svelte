<script lang="ts">
  import { got, http, Problem, upload, type Schemas } from '../api/client';
  import Empty from '../kit/Empty.svelte';
  import { plural } from '../kit/numbers';
  import Members from './Members.svelte';
  import { router } from './router.svelte';

  let { me, onsignout }: { me: Schemas['Me']; onsignout: () => void } = $props();
  let plants = $state.raw<Schemas['PlantLine'][] | null>(null);
  let name = $state('');
  let problem = $state('');
  let faults = $state.raw<{ place: string; reason: string }[]>([]);
  let deleting = $state('');
  let opened = $state('');
  let file: HTMLInputElement;

  void load();

  async function load() {
    plants = got(await http.GET('/api/plants'));
  }

  async function attempt(work: () => Promise<Schemas['PlantLine']>) {
    problem = '';
    faults = [];
    try {
      const made = await work();
      router.go(`/p/${made.key}/hardware`);
    } catch (error) {
      problem = error instanceof Error ? error.message : String(error);
      if (error instanceof Problem) faults = error.faults;
    }
  }

  const make = (body: Schemas['NewPlant']) =>
    attempt(async () => got(await http.POST('/api/plants', { body })));

  async function remove(key: string) {
    if (deleting !== key) {
      deleting = key;
      return;
    }
    deleting = '';
    got(await http.DELETE('/api/plants/{key}', { params: { path: { key } } }));
    await load();
  }
</script>

<main>
  <header class="row">
    <h1>Plants</h1>
    <span class="wide"></span>
    <span class="quiet">{me.name}</span>
    <button class="plain" onclick={onsignout}>Sign out</button>
  </header>

  <form
    class="row"
    onsubmit={(event) => {
      event.preventDefault();
      void make({ name, demo: false });
    }}
  >
    <input
      bind:value={name}
      placeholder="Name of a new plant"
      required
      aria-label="Name of a new plant"
    />
    <button class="primary">Start it</button>
    <button type="button" onclick={() => file.click()}>Import a file …</button>
    <button type="button" onclick={() => make({ name: 'Skelder Maltings', demo: true })}
      >The demo plant, fresh</button
    >
    <input
      bind:this={file}
      type="file"
      accept=".json,application/json"
      hidden
      onchange={() => {
        const chosen = file.files?.[0];
        if (chosen) void attempt(() => upload('/api/plants/import', chosen));
        file.value = '';
      }}
    />
  </form>
  {#if problem}
    <div class="problem" role="alert">
      <p>{problem}</p>
      {#if faults.length > 1}
        <ul>
          {#each faults.slice(0, 12) as fault (fault.place + fault.reason)}<li>
              <code>{fault.place}</code>
              {fault.reason}
            </li>{/each}
        </ul>
      {/if}
    </div>
  {/if}

  {#if plants?.length}
    <table>
      <thead>
        <tr
          ><th>Plant</th><th>My role</th><th class="number">Revision</th><th>Last changed</th><th
            >Members</th
          ><th><span class="unseen">What to do</span></th></tr
        >
      </thead>
      <tbody>
        {#each plants as plant (plant.key)}
          <tr>
            <td
              ><a
                href="/p/{plant.key}/hardware"
                onclick={(e) => {
                  e.preventDefault();
                  router.go(`/p/${plant.key}/hardware`);
                }}>{plant.name}</a
              ></td
            >
            <td>{plant.role}</td>
            <td class="number">{plant.revision}</td>
            <td>{new Date(plant.changed).toLocaleString()}</td>
            <td>
              <button
                class="plain"
                aria-expanded={opened === plant.key}
                onclick={() => (opened = opened === plant.key ? '' : plant.key)}
              >
                {plural(plant.members, 'member')}
              </button>
            </td>
            <td class="acts">
              <button
                class="plain"
                onclick={() =>
                  make({ name: `${plant.name}, copy`, copy_of: plant.key, demo: false })}
                >Duplicate</button
              >
              <a class="button" href="/api/plants/{plant.key}/export" download>Export</a>
              {#if plant.role === 'owner'}
                <button
                  class="plain"
                  onclick={() => remove(plant.key)}
                  onblur={() => (deleting = '')}
                >
                  {deleting === plant.key ? 'For good: delete' : 'Delete'}
                </button>
              {/if}
            </td>
          </tr>
          {#if opened === plant.key}
            <tr>
              <td colspan="6"
                ><Members plant={plant.key} owner={plant.role === 'owner'} onchanged={load} /></td
              >
            </tr>
          {/if}
        {/each}
      </tbody>
    </table>
  {:else if plants}
    <Empty title="No plant yet">
      <p>
        A plant holds everything you configure: controllers, networks, signals. Give it a name
        above, import a plant file, or look around in the demo plant first.
      </p>
    </Empty>
  {/if}
</main>

<style>
  main {
    max-width: 1020px;
    margin: var(--s7) auto;
    padding: 0 var(--s6);
    display: grid;
    gap: var(--s6);
  }
  form input {
    width: 260px;
  }
  .acts {
    text-align: right;
    white-space: nowrap;
  }
  .button {
    padding: var(--s1) var(--s3);
    font-size: var(--f-body);
    font-weight: 500;
    text-decoration: none;
  }
  .button:hover {
    background: var(--sunk);
  }
  .problem {
    border-left: 3px solid var(--bracken);
    background: var(--bracken-tint);
    padding: var(--s4) var(--s5);
  }
  ul {
    margin: var(--s3) 0 0;
    padding-left: var(--s6);
  }
</style>
