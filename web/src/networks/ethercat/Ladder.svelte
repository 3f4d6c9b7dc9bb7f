<script lang="ts">
  import { rootOf } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** The states a device climbs through, and what is written into it on each step between them. */
  let {
    plant,
    row,
    onchoose,
  }: { plant: PlantStore; row: string; onchoose: (key: string) => void } = $props();

  const STATES = ['Init', 'Pre-Op', 'Safe-Op', 'Op'];
  const station = $derived(
    plant.row('stations', row)?.id ?? rootOf(plant, plant.row('modules', row)?.rail)?.id ?? '',
  );
  const writes = $derived(
    plant
      .list('connections', 'station', station)
      .flatMap((c) => plant.part('connection.startup', c.id)?.writes ?? [])
      .filter((write) => write.node === row),
  );
  const live = $derived(
    plant.bench.running
      ? plant.bench.state?.stations
          .find((s) => s.id === station)
          ?.nodes.find((node) => node.row === row)
      : undefined,
  );
  /** Steps from the last to the first, as one climbs from below. */
  const steps = $derived(
    STATES.slice(1)
      .map((state, n) => ({
        state,
        writes: writes.filter((write) => write.when === `${STATES[n]} → ${state}`),
      }))
      .reverse(),
  );
  let opened = $state('');
  const key = (reference: string) => reference.replace('16#', '');

  async function takeBack(reference: string) {
    const values = { [`settings.writes.${key(reference)}`]: null };
    await plant
      .edit({ kind: 'set', ids: [row], values }, `No more write to ${reference} at the start`)
      .catch(() => {});
  }
</script>

<section class="ladder" aria-label="On its way to Op">
  <h3>At the start</h3>
  {#each steps as step (step.state)}
    {@const own = step.writes.filter((write) => write.source === 'own')}
    {@const made = step.writes.filter((write) => write.source !== 'own')}
    <p class="rung" class:here={live?.state === step.state}>{step.state}</p>
    <ul>
      {#each own as write (write.reference)}
        <li>
          <button class="plain mono" onclick={() => onchoose(key(write.reference))}
            >{write.reference}</button
          >
          <span class="mono quiet">{write.octets}</span>
          {#if plant.mayEdit}<button
              class="plain back"
              title="Do not write this any more"
              aria-label="Take back the write to {write.reference}"
              onclick={() => takeBack(write.reference)}>×</button
            >{/if}
        </li>
      {/each}
      {#if made.length}
        <li>
          <button
            class="plain quiet"
            aria-expanded={opened === step.state}
            onclick={() => (opened = opened === step.state ? '' : step.state)}
            >{made.length} by its file and settings</button
          >
        </li>
        {#if opened === step.state}
          {#each made as write, n (n)}
            <li class="made" title={write.reason}>
              <button class="plain mono" onclick={() => onchoose(key(write.reference))}
                >{write.reference}</button
              >
              <span class="mono quiet">{write.octets}</span>
            </li>
          {/each}
        {/if}
      {/if}
    </ul>
  {/each}
  <p class="rung" class:here={live?.state === 'Init'}>Init</p>
</section>

<style>
  h3 {
    margin: 0 0 var(--s3);
  }
  .ladder {
    font-size: var(--f-note);
  }
  .rung {
    border-top: 2px solid var(--rule-2);
    border-left: 2px solid var(--rule-2);
    border-right: 2px solid var(--rule-2);
    padding: var(--s1) var(--s3) 0;
    margin: 0;
    font-weight: 600;
  }
  .rung:last-child {
    border-bottom: 2px solid var(--rule-2);
  }
  .here {
    background: var(--lichen-tint);
    border-top-color: var(--lichen);
  }
  ul {
    list-style: none;
    margin: 0;
    min-height: 22px;
    padding: 0 var(--s3) var(--s3) var(--s5);
    border-left: 2px solid var(--rule-2);
    border-right: 2px solid var(--rule-2);
  }
  li {
    display: flex;
    gap: var(--s3);
    align-items: baseline;
    overflow: hidden;
    white-space: nowrap;
  }
  button {
    height: 20px;
    padding: 0;
    border: 0;
    font-size: var(--f-small);
    font-weight: 400;
  }
  .back {
    margin-left: auto;
  }
</style>
