<script lang="ts">
  import { untrack } from 'svelte';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { Copies, type Copy } from './copies.svelte';

  /**
   * What of an axis is not alike everywhere, a strand each from the project over the controller to the drive: whole as far
   * as they are alike, torn where they are not.
   */
  let { plant, axis }: { plant: PlantStore; axis: string } = $props();

  const copies = untrack(() => new Copies(plant, axis));
  $effect(() => {
    void [plant.configured, plant.revision, plant.bench.running];
    untrack(() => void copies.ask());
  });
  const told = $derived(copies.told);
  const unsaved = $derived(told?.differing.some((copy) => copy.unsaved) ?? false);
  const waits = $derived(told?.differing.some((copy) => copy.waits) ?? false);
  const apart = $derived(told?.differing.some((copy) => copy.project !== copy.drive) ?? false);
  const PLACES = $derived(['project', ...(told?.downloaded ? ['controller'] : []), 'drive']);

  function value(copy: Copy, number: number | null): string {
    if (copy.key === 'reversed') return number ? 'yes' : 'no';
    if (number === null) return copy.key === 'drive_digits' ? 'encoder counts' : 'not set';
    return `${shown(number, 7)}${copy.unit ? ` ${copy.unit}` : ''}`;
  }
  /** Neighbours that are alike, as one piece of the strand. */
  function pieces(copy: Copy): { value: string; over: number }[] {
    const values = [copy.project, ...(told?.downloaded ? [copy.controller] : []), copy.drive];
    const found: { number: number | null; value: string; over: number }[] = [];
    for (const number of values) {
      const last = found[found.length - 1];
      if (last && last.number === number) last.over += 1;
      else found.push({ number, value: value(copy, number), over: 1 });
    }
    return found;
  }
</script>

{#if told}
  <section aria-label="In the drive">
    <div class="row head">
      <h2>In the drive</h2>
      <span class="quiet">
        {told.differing.length
          ? `${plural(told.differing.length, 'value')} not alike, ${told.alike} alike`
          : `all ${told.alike} values as configured`}
      </span>
      <span class="wide"></span>
      {#if plant.mayEdit}
        {#if apart}<button onclick={() => void copies.do('write')}>Write all</button>{/if}
        {#if unsaved}<button class="primary" onclick={() => void copies.do('save')}
            >Save in the drive</button
          >{/if}
        {#if waits || unsaved}<button onclick={() => void copies.do('restart')}
            >Restart the drive</button
          >{/if}
      {/if}
    </div>
    {#if told.differing.length}
      <div class="strands" style:--places={PLACES.length}>
        <span></span>
        {#each PLACES as place (place)}<span class="place">{place}</span>{/each}
        <span></span>
        {#each told.differing as copy (copy.key)}
          <span class="name">{copy.label}</span>
          {#each pieces(copy) as piece, n (n)}
            <span class="piece mono" class:torn={n > 0} style="grid-column: span {piece.over}"
              >{piece.value}</span
            >
          {/each}
          <span class="row acts">
            {#if plant.mayEdit && copy.project !== copy.drive}
              <button class="plain" onclick={() => void copies.do('write', [copy.key])}
                >Write</button
              >
              {#if copy.takes}<button
                  class="plain"
                  onclick={() => void copies.do('take', [copy.key])}>Take</button
                >{/if}
            {/if}
            {#if copy.waits}<span class="note">⟳ {value(copy, copy.acting)} until it restarts</span
              >{/if}
            {#if copy.unsaved}<span class="note"
                >not saved: {value(copy, copy.kept)} after power off</span
              >{/if}
          </span>
        {/each}
      </div>
    {/if}
    {#if copies.problem}<p class="problem" role="alert">{copies.problem}</p>{/if}
  </section>
{/if}

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
    gap: var(--s4);
  }
  .strands {
    display: grid;
    grid-template-columns: 200px repeat(var(--places), minmax(96px, 1fr)) minmax(240px, 2fr);
    gap: var(--s2) 0;
    align-items: center;
    margin-top: var(--s3);
    font-size: var(--f-note);
  }
  .place {
    color: var(--ink-2);
    text-align: center;
  }
  .piece {
    text-align: center;
    border-bottom: 3px solid var(--tarn);
    margin-right: var(--s3);
    padding-bottom: var(--s1);
  }
  .torn {
    border-color: var(--bracken);
  }
  .acts {
    gap: var(--s2);
  }
  .acts {
    flex-wrap: wrap;
  }
  .note {
    flex-basis: 100%;
    color: var(--bracken);
  }
  .problem {
    color: var(--bracken);
  }
</style>
