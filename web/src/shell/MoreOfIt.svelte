<script lang="ts">
  import { got, http, Problem, type Schemas } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import { roomSaid } from '../kit/room';
  import { settled } from '../kit/settled';
  import { IO_LINK_PORT, isPorts } from '../plant/rails';
  import { router } from './router.svelte';

  /** How many more of a thing there is room for, and the ways to get them: replicate, keep as a template. */
  let { plant, id }: { plant: PlantStore; id: string } = $props();
  let room = $state.raw<Schemas['RoomOut'] | null>(null);
  let keeping = $state(false);
  let name = $state('');
  let told = $state('');

  $effect(() => {
    void plant.revision;
    const path = { params: { path: { key: plant.key, row_id: id } } };
    // It is tried out on the whole plant: who only passes by does not ask for it.
    return settled(async () => {
      const answer = await http.GET('/api/plants/{key}/room/{row_id}', path);
      return () => (room = answer.response.ok ? got(answer) : null);
    });
  });

  // Of a controller its rail is kept: what is on it can stand on another one's as well.
  const rail = $derived(plant.row('controllers', id) ? plant.list('rails', 'head', id)[0]?.id : '');
  const kept = $derived(plant.row('modules', id) || plant.row('stations', id) ? id : (rail ?? ''));

  /** A station with data of its own, or a module that brings data, can be an IO-Link master. */
  const mayHavePorts = $derived.by(() => {
    const row = plant.row('stations', id) ?? plant.row('modules', id);
    const type = row && plant.type(row.type);
    if (!row || !type || plant.list('rails', 'head', id).some(isPorts)) return false;
    if ('network' in row) return type.kind === 'device' && !row.partner;
    return type.kind === 'module' && !type.channels.length && type.joins !== IO_LINK_PORT;
  });

  async function keep() {
    try {
      const path = { params: { path: { key: plant.key } } };
      const clip = got(
        await http.POST('/api/plants/{key}/clip', { ...path, body: { ids: [kept] } }),
      );
      got(await http.POST('/api/templates', { body: { name, clip } }));
      told = `Kept as “${name}”: it is offered wherever it can be placed.`;
      keeping = false;
    } catch (error) {
      told = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
</script>

<h3>More of it</h3>
{#if room}
  <p class:none={room.more === 0}>
    {roomSaid(room)}
  </p>
{/if}
{#if plant.mayEdit}
  <p class="row">
    <button onclick={() => router.go(`/p/${plant.key}/hardware/replicate/${id}`)}
      >Replicate …{#if router.parts[2] === 'hardware'}&nbsp;<kbd>N</kbd>{/if}</button
    >
    {#if mayHavePorts}<button
        class="plain"
        title="It is an IO-Link master: devices are plugged into its ports"
        onclick={() =>
          void plant
            .edit({ kind: 'add-ports', head: id, ports: null }, 'Add IO-Link ports')
            .catch(() => {})}>Add IO-Link ports</button
      >{/if}
    {#if kept && !keeping}<button
        class="plain"
        onclick={() => {
          keeping = true;
          told = '';
        }}>Keep {rail ? 'its rail' : 'it'} as a template</button
      >{/if}
  </p>
  {#if keeping}
    <form
      class="row"
      onsubmit={(event) => {
        event.preventDefault();
        void keep();
      }}
    >
      <input bind:value={name} placeholder="Name of the template" required maxlength="200" />
      <button>Keep</button>
    </form>
  {/if}
{/if}
{#if told}<p class="quiet" role="status">{told}</p>{/if}

<style>
  h3 {
    margin: var(--s5) 0 var(--s1);
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
  }
  .none {
    color: var(--gorse);
  }
  p {
    margin-bottom: var(--s2);
  }
  form input {
    flex: 1;
  }
</style>
