<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import OctetGroups from '../OctetGroups.svelte';
  import Records from '../Records.svelte';

  /** What a station gets at its start, octet by octet: whose each is, and which setting made it. */
  let { plant, row }: { plant: PlantStore; network: string; row: string } = $props();

  const told = $derived(
    plant.row('stations', row) ? plant.part('profibus.octets', row) : undefined,
  );
  const slots = $derived([
    { value: 0, short: 'slot 0', label: 'the station itself' },
    ...(told?.configuration ?? []).map((group, n) => ({
      value: n + 1,
      short: `slot ${n + 1}`,
      label: group.label,
    })),
  ]);

  const count = $derived(
    told?.parameters.reduce((sum, group) => sum + group.octets.length, 0) ?? 0,
  );
</script>

{#if told}
  <section aria-label="Written at its start">
    <p class="quiet">
      First its parameters, <span class="mono">{count}</span> octets; its watchdog is
      {told.watchdog_ms ? `${shown(told.watchdog_ms)} ms` : 'off'}
    </p>
    <OctetGroups groups={told.parameters} />
    <p class="quiet">Then its configuration, which it compares with what is plugged</p>
    <div class="cfg">
      {#each told.configuration as group (group.row + group.label)}
        <span class="module"
          ><span class="octets mono"
            >{#each group.octets as octet, n (n)}<span>{octet}</span>{/each}</span
          ><span class="quiet">{group.label}</span></span
        >
      {:else}
        <span class="quiet">no module</span>
      {/each}
    </div>
    {#if told.records}
      {#key row}<Records {plant} {row} places={slots} last={255} />{/key}
    {/if}
  </section>
{/if}

<style>
  section {
    margin: var(--s5) 0;
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
    font-size: var(--f-note);
  }
  p {
    margin: 0 0 var(--s2);
  }
  .octets {
    display: flex;
    flex-wrap: wrap;
    font-size: var(--f-small);
  }
  .octets span {
    padding: 0 var(--s2);
    border: 1px solid var(--rule);
    margin-right: -1px;
    color: var(--ink);
    background: var(--leaf);
  }
  .cfg {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s5);
  }
  .module {
    display: flex;
    flex-direction: column;
    gap: var(--s1);
  }
</style>
