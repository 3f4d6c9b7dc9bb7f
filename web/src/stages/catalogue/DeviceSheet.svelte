<script lang="ts">
  import { got, http, Problem } from '../../api/client';
  import InlineForm from '../../kit/InlineForm.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { Tray } from './tray.svelte';

  /** A device without a description file, its sizes in the unit of its manual. */
  let { plant, tray, onclose }: { plant: PlantStore; tray: Tray; onclose: () => void } = $props();

  const buses = $derived(plant.catalogue.types.filter((t) => t.key.startsWith('generic.')));
  let model = $state('');
  let maker = $state('');
  let order_number = $state('');
  let picked = $state('');
  const fieldbus = $derived(picked || (buses[0]?.fieldbus ?? ''));
  let into = $state('0');
  let out = $state('0');
  let unit = $state('octets');
  let problem = $state('');

  async function make() {
    const exchanges = [
      { direction: 'in' as const, size: into },
      { direction: 'out' as const, size: out },
    ]
      .filter((x) => x.size.trim() !== '' && x.size.trim() !== '0')
      .map((x) => ({ ...x, unit: unit as 'octets', point: null, interval_ms: null }));
    const body = { model, maker, order_number, fieldbus, exchanges, revision: '1.0', summary: '' };
    try {
      const path = { params: { path: { key: plant.key } } };
      const results = got(
        await http.POST('/api/plants/{key}/sheets', {
          ...path,
          body: { ...body, format: 'highmoor-device-sheet', version: 1 },
        }),
      );
      const refused = results.find((r) => r.refused)?.refused;
      if (refused) problem = refused;
      else {
        await tray.take(model, results);
        onclose();
      }
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }
</script>

<InlineForm make="Add it to the catalogue" {problem} onmake={make} oncancel={onclose}>
  <label>Name <input bind:value={model} required maxlength="200" /></label>
  <label>Maker <input bind:value={maker} maxlength="200" /></label>
  <label>Order number <input bind:value={order_number} maxlength="200" size="12" /></label>
  <label
    >Like a <select bind:value={() => fieldbus, (bus) => (picked = bus)}
      >{#each buses as bus (bus.key)}<option value={bus.fieldbus}>{bus.name}</option>{/each}</select
    ></label
  >
  <label>Device → controller <input bind:value={into} size="6" /></label>
  <label>controller → device <input bind:value={out} size="6" /></label>
  <label
    >counted in <select bind:value={unit}
      >{#each Object.entries(plant.catalogue.units) as [key, label] (key)}<option value={key}
          >{label}</option
        >{/each}</select
    ></label
  >
  <p class="hint quiet">
    Look in the manual for “process data”, “assembly”, “I/O size” or “data length”, and for the unit
    it is counted in: words are mostly of 16 bits. Leave out a status header of 4 octets; it is set
    at the connection.
  </p>
</InlineForm>

<style>
  .hint {
    flex-basis: 100%;
    font-size: var(--f-note);
  }
</style>
