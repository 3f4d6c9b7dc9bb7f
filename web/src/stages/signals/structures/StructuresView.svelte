<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../../kit/Empty.svelte';
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import Members from './Members.svelte';
  import NewVariable from './NewVariable.svelte';
  import { StructureWork } from './structureWork.svelte';

  /** The structures of the plant: what each is made of, the variables of it, and what could be declared. */
  let { plant }: { plant: PlantStore } = $props();

  const work = untrack(() => new StructureWork(plant));
  $effect(() => {
    void [plant.configured, work.row];
    untrack(() => work.follow());
  });
  const empty = $derived(!work.all.length && !work.making);
</script>

<header class="row">
  <button class="plain" onclick={() => router.go(`/p/${plant.key}/signals`)}>◂ Signals</button>
  <h1>Structures</h1>
  <span class="quiet">a change of one changes every variable of it</span>
  <span class="wide"></span>
  {#if plant.mayEdit}<button class:primary={empty} onclick={() => work.make()}
      >New structure …</button
    >{/if}
</header>

{#if empty}
  <Empty title="No structure is declared yet">
    <p>
      A structure puts values together under one name, such as <code>Fan1.Speed</code> and
      <code>Fan1.Run</code>. Declare one and make as many variables of it as there are devices, or
      just name signals so: what they are made of is read off their names.
    </p>
  </Empty>
{:else}
  <div class="both">
    <ul class="all" aria-label="Structures">
      {#each work.all as one (one.id)}
        <li>
          <button
            class="mono"
            aria-current={one.id === work.row?.id}
            onclick={() => work.choose(one.id)}>{one.name}</button
          >
          <span class="quiet"
            >{plural((one.shape as { members?: unknown[] }).members?.length ?? 0, 'member')}</span
          >
        </li>
      {/each}
      {#if work.making}<li><span class="mono">{work.name || 'a new one'}</span></li>{/if}
    </ul>
    <section aria-label="Members">
      <Members {plant} {work} />
      {#if work.row}
        <h2>Variables of it</h2>
        {#if work.variables.length}
          <p class="mono">{work.variables.join(', ')}</p>
        {:else}<p class="quiet">There is none yet.</p>{/if}
        {#if plant.mayEdit}<NewVariable {plant} {work} />{/if}
      {/if}
    </section>
  </div>
{/if}

{#if work.undeclared.length && plant.mayEdit}
  <h2>Named like structures, but not declared</h2>
  <table>
    <tbody>
      {#each work.undeclared as told (`${told.controller}.${told.name}`)}
        <tr>
          <td class="mono"><span class="quiet">{told.controller}.</span>{told.name}</td>
          <td class="mono quiet">{told.type}</td>
          <td>{told.members.map((m) => `${m.name} ${m.type}`).join(', ')}</td>
          <td
            ><button onclick={() => work.make(told.type.split(' ').at(-1), told.members)}
              >Declare …</button
            ></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<style>
  .both {
    display: grid;
    grid-template-columns: 200px minmax(0, 1fr);
    gap: var(--s6);
    margin-top: var(--s4);
  }
  .all {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .all li {
    display: flex;
    align-items: center;
    gap: var(--s4);
    border-bottom: 1px solid var(--rule);
  }
  .all button {
    flex: 1;
    text-align: left;
    border: 0;
    background: none;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .all button[aria-current='true'] {
    background: var(--heather-tint);
  }
  .all span {
    white-space: nowrap;
    font-size: var(--f-note);
  }
  h2 {
    margin: var(--s5) 0 var(--s2);
  }
  table {
    width: 100%;
  }
  td {
    padding: var(--s2) var(--s4) var(--s2) 0;
    border-bottom: 1px solid var(--rule);
  }
  td:last-child {
    text-align: right;
  }
</style>
