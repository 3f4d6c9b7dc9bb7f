<script lang="ts">
  import Empty from '../../../kit/Empty.svelte';
  import Mark from '../../../kit/Mark.svelte';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import ProgramPanel from './ProgramPanel.svelte';

  /** The little programs of the controllers: a list, and the text of the one that is worked on. */
  let { plant, chosen, line }: { plant: PlantStore; chosen: string; line: string } = $props();

  const base = $derived(`/p/${plant.key}/signals`);
  const programs = $derived(plant.list('programs'));
  const controllers = $derived(plant.list('controllers'));
  const row = $derived(programs.find((one) => one.id === chosen) ?? programs[0]);
  const faulty = $derived(
    new Set(
      [...plant.findings.values()]
        .filter((finding) => finding.code === 'SIG-201')
        .map((finding) => finding.places[0]!.id),
    ),
  );
  const stopped = $derived(
    new Set(
      (plant.bench.running ? (plant.bench.state?.programs ?? []) : [])
        .filter((one) => one.state === 'stopped')
        .map((one) => one.id),
    ),
  );
  $effect(() => plant.bench.watched());

  async function add(controller: string) {
    const edit = { kind: 'add-program' as const, controller, text: '', tag: '$program' };
    try {
      const onward = router.onward();
      const answer = await plant.edit(edit, 'Add a program');
      onward(`${base}/programs/${answer?.tags['$program'] ?? ''}`);
    } catch {
      // The outbox says why.
    }
  }
</script>

<header class="row">
  <button class="plain" onclick={() => router.go(base)}>◂ Signals</button>
  <h1>Programs</h1>
  <span class="quiet">Structured Text, run by the bench in its task's period</span>
</header>

{#if !programs.length}
  <Empty title="No program yet">
    <p>
      A little program proves that data flows: it copies an input to an output over two networks,
      scales a value, answers a heartbeat. It uses the controller's signals by their names.
    </p>
    {#if !controllers.length}<p>First add a controller in Hardware.</p>{/if}
    {#if plant.mayEdit}
      {#each controllers as controller (controller.id)}
        <button class="primary" onclick={() => add(controller.id)}
          >New program in {controller.name}</button
        >
      {/each}
    {/if}
  </Empty>
{:else}
  <div class="both">
    <nav aria-label="Programs">
      {#each controllers as controller (controller.id)}
        {@const own = programs.filter((one) => one.controller === controller.id)}
        <h2>{controller.name}</h2>
        <ul>
          {#each own as one (one.id)}
            <li>
              <button
                class="mono"
                aria-current={one.id === row?.id}
                onclick={() => router.go(`${base}/programs/${one.id}`)}>{one.name}</button
              >
              {#if stopped.has(one.id)}<Mark state="error" word="stopped" />
              {:else if faulty.has(one.id)}<Mark state="error" />{/if}
            </li>
          {/each}
        </ul>
        {#if plant.mayEdit}<button
            class="plain"
            aria-label="New program in {controller.name}"
            onclick={() => add(controller.id)}>+ New program</button
          >{/if}
      {/each}
    </nav>
    {#if row}
      {#key row.id}<ProgramPanel {plant} id={row.id} line={row.id === chosen ? line : ''} />{/key}
    {/if}
  </div>
{/if}

<style>
  .both {
    display: grid;
    grid-template-columns: 148px minmax(0, 1fr);
    gap: var(--s6);
    margin-top: var(--s4);
  }
  nav h2 {
    margin-top: var(--s4);
  }
  nav ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  nav li {
    display: flex;
    align-items: center;
    gap: var(--s3);
    border-bottom: 1px solid var(--rule);
  }
  nav li button {
    flex: 1;
    min-width: 0;
    text-align: left;
    border: 0;
    background: none;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  nav li button[aria-current='true'] {
    background: var(--heather-tint);
  }
  @container (max-width: 620px) {
    .both {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
