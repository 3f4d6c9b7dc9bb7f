<script lang="ts">
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import type { StructureWork } from './structureWork.svelte';

  /** The members of a structure as a table that is typed into; nothing is done before it is taken over. */
  let { plant, work }: { plant: PlantStore; work: StructureWork } = $props();

  const others = $derived(work.all.filter((one) => one.id !== work.row?.id).map((one) => one.name));
  const types = $derived([...plant.catalogue.data_types, ...others, 'ARRAY[1..8] OF REAL']);

  function key(event: KeyboardEvent, n: number) {
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      event.preventDefault();
      work.move(n, event.key === 'ArrowUp' ? -1 : 1);
    } else if (event.key === 'Enter' && work.changed) {
      event.preventDefault();
      void work.save();
    } else if (event.key === 'Escape') work.reset();
  }
</script>

<label class="name"
  >Structure <input
    class="mono"
    bind:value={work.name}
    disabled={!plant.mayEdit}
    placeholder="FanData"
    onkeydown={(event) => key(event, -1)}
  /></label
>
<datalist id="types-of-members">
  {#each types as type (type)}<option value={type}></option>{/each}
</datalist>
<table>
  <thead
    ><tr
      ><th>Member</th><th>Type</th><th>Unit</th><th>Comment</th><th
        ><span class="unseen">Remove</span></th
      ></tr
    ></thead
  >
  <tbody>
    {#each work.members as member, n (n)}
      <tr onkeydown={(event) => key(event, n)}>
        <td
          ><input
            class="mono"
            aria-label="Name of member {n + 1}"
            placeholder={n === work.members.length - 1 ? 'a new member …' : ''}
            disabled={!plant.mayEdit}
            bind:value={member.name}
            oninput={() => work.typing()}
          /></td
        >
        <td
          ><input
            class="mono"
            aria-label="Type of member {n + 1}"
            list="types-of-members"
            disabled={!plant.mayEdit}
            bind:value={member.type}
            oninput={() => work.typing()}
          /></td
        >
        <td
          ><input
            aria-label="Unit of member {n + 1}"
            disabled={!plant.mayEdit}
            bind:value={member.unit}
          /></td
        >
        <td
          ><input
            aria-label="Comment of member {n + 1}"
            disabled={!plant.mayEdit}
            bind:value={member.note}
          /></td
        >
        <td>
          {#if plant.mayEdit && n < work.members.length - 1}<button
              class="plain"
              aria-label="Remove {member.name || 'this member'}"
              title="Remove it; Alt+↑ and Alt+↓ move it"
              onclick={() => work.remove(n)}>✕</button
            >{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
{#if work.problem}<p class="bad" role="alert">{work.problem}</p>{/if}
{#if plant.mayEdit}
  <p class="row">
    <button class:primary={work.changed} disabled={!work.changed} onclick={() => void work.save()}
      >{work.making
        ? 'Declare it'
        : work.variables.length
          ? `Change it and ${plural(work.variables.length, 'variable')}`
          : 'Change it'}</button
    >
    {#if work.changed}<button onclick={() => work.reset()}>As it was</button>{/if}
    {#if work.lost.length}
      <span class="bad"
        >{work.lost.map((m) => m.name).join(', ')}
        {work.lost.length > 1 ? 'go' : 'goes'} from each, with the links there</span
      >
    {/if}
    <span class="wide"></span>
    {#if work.row && !work.changed}<button
        class="plain"
        title="Its variables stay as they are"
        onclick={() => void work.forget()}>No longer declare it</button
      >{/if}
  </p>
{/if}

<style>
  table {
    width: 100%;
    margin: var(--s3) 0;
    table-layout: fixed;
  }
  th {
    text-align: left;
    font-weight: normal;
    color: var(--ink-2);
    border-bottom: 1px solid var(--rule-2);
  }
  th:nth-child(3) {
    width: 80px;
  }
  th:last-child {
    width: 36px;
  }
  td {
    padding: 1px var(--s3) 1px 0;
  }
  td input {
    width: 100%;
  }
  .name input {
    width: 240px;
  }
  .bad {
    color: var(--bracken);
  }
</style>
