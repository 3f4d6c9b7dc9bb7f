<script lang="ts">
  import { Problem } from '../api/client';
  import Calibrate from '../kit/Calibrate.svelte';
  import Characteristic from '../kit/Characteristic.svelte';
  import InlineForm from '../kit/InlineForm.svelte';
  import ObjectForm from '../kit/ObjectForm.svelte';
  import PlacePicker from '../kit/PlacePicker.svelte';
  import type { PlantStore, Row } from '../plant/store.svelte';

  /** Where a signal has its value from and where it is written to, each with its scaling. */
  let { plant, signal }: { plant: PlantStore; signal: string } = $props();

  const row = $derived(plant.row('signals', signal));
  const links = $derived(plant.list('links', 'signal', signal));
  const path = $derived(plant.part('signal.path', signal));
  const written = $derived(links.some((link) => link.access === 'writes'));

  let adding = $state(false);
  /** The link whose scaling is being calibrated. */
  let calibrating = $state('');
  let place = $state('');
  let key = $state('');
  let problem = $state('');

  function head(link: Row<'links'>): string {
    const label = path?.links.find((one) => one.link === link.id)?.label;
    return `${link.access === 'reads' ? 'Read from' : 'Written to'} ${label ?? link.key}`;
  }

  function scale(link: string, scaled: boolean) {
    const what = scaled ? `Scale ${row?.name}` : `Take the scaling of ${row?.name} away`;
    void plant.edit({ kind: 'scale', link, scaled }, what).catch(() => {});
  }

  async function link() {
    if (!place || !key) return;
    const edit = { kind: 'link' as const, signal, place, key, instead: null, also: true };
    try {
      await plant.edit(edit, `Link ${row?.name}${links.length ? ' to one place more' : ''}`);
      leave();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  function leave() {
    adding = false;
    place = key = problem = '';
  }

  function remove(link: string) {
    void plant.edit({ kind: 'remove', ids: [link] }, `Unlink ${row?.name}`).catch(() => {});
  }
</script>

{#each links as link (link.id)}
  <h3>{head(link)}</h3>
  <ObjectForm {plant} id={link.id} />
  {#if link.scaling}<Characteristic {plant} link={link.id} {signal} />{/if}
  {#if plant.mayEdit}
    <p class="row">
      {#if link.scaling}
        <button
          class="plain"
          aria-expanded={calibrating === link.id}
          onclick={() => (calibrating = calibrating === link.id ? '' : link.id)}>Calibrate …</button
        >
        <button class="plain" onclick={() => scale(link.id, false)}>Do not scale</button>
      {:else if row?.type !== 'BOOL'}
        <button class="plain" onclick={() => scale(link.id, true)}>Scale it</button>
      {/if}
      <button class="plain" onclick={() => remove(link.id)}>Unlink it</button>
    </p>
    {#if calibrating === link.id && link.scaling}<Calibrate
        {plant}
        link={link.id}
        {signal}
        onclose={() => (calibrating = '')}
      />{/if}
  {/if}
{/each}
{#if adding && row}
  <InlineForm make="Link it" {problem} onmake={link} oncancel={leave}>
    <PlacePicker {plant} controller={row.controller} bind:place bind:key focus />
  </InlineForm>
{:else if plant.mayEdit}
  <button class="plain" onclick={() => (adding = true)}
    >{!links.length
      ? 'Link it …'
      : written
        ? 'Write it to one place more …'
        : 'Hand it on to …'}</button
  >
{/if}

<style>
  h3 {
    margin: var(--s5) 0 var(--s1);
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
  }
  .row {
    display: flex;
    gap: var(--s4);
    margin: var(--s1) 0 0;
  }
</style>
