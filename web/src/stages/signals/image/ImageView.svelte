<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../../kit/Empty.svelte';
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import { ImageWork, type Area } from './imageWork.svelte';
  import OctetViews from './OctetViews.svelte';
  import StretchMap from './StretchMap.svelte';

  /** A controller's process image: what lies where, and any octet as bits, octet, word and double word. */
  let { plant }: { plant: PlantStore } = $props();

  const work = untrack(() => new ImageWork(plant));
  const AREAS: [Area, string][] = [
    ['in', 'Inputs'],
    ['out', 'Outputs'],
  ];
  const AGAIN_MS = 500;

  $effect(() => {
    void [work.controller, work.area, work.octet, work.stretch, plant.configured];
    untrack(() => void work.ask());
  });
  // While the bench runs the octets are of now.
  $effect(() => {
    if (!plant.bench.running) return;
    const clock = window.setInterval(() => void work.ask(), AGAIN_MS);
    return () => {
      window.clearInterval(clock);
      void work.ask();
    };
  });

  const ends = (offset: number, octets: number) =>
    octets > 1 ? `${offset}–${offset + octets - 1}` : `${offset}`;
</script>

<div class="page">
  <header class="row">
    <button class="plain" onclick={() => router.go(`/p/${plant.key}/signals`)}>◂ Signals</button>
    <h1>Process image</h1>
    {#if work.controllers.length > 1}
      <select
        aria-label="Controller"
        value={work.controller?.id}
        onchange={(event) => work.go(0, 'in', event.currentTarget.value)}
      >
        {#each work.controllers as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      </select>
    {:else if work.controller}<span class="mono">{work.controller.name}</span>{/if}
    <span class="areas" role="group" aria-label="Area">
      {#each AREAS as [area, word] (area)}
        <button aria-pressed={work.area === area} onclick={() => work.go(0, area)}
          >{word} <span class="quiet">{work.octetsOf(area)}</span></button
        >
      {/each}
    </span>
  </header>

  {#if !work.inArea.length}
    <Empty
      title={work.controller
        ? `Nothing lies in the ${work.area === 'in' ? 'inputs' : 'outputs'} yet`
        : 'There is no controller yet'}
    >
      <p>
        Modules on the rail and exchanges on a network take their octets here as soon as they are
        there.
      </p>
    </Empty>
  {:else}
    <div class="both">
      <ol class="stretches" aria-label="What lies in it">
        {#each work.inArea as one (one.offset)}
          <li>
            <button
              aria-current={one === work.stretch}
              title="{one.label}: {plural(one.octets, 'octet')}{one.padding
                ? ` and ${one.padding} of padding`
                : ''}"
              onclick={() => work.go(one.offset)}
            >
              <span class="mono">{ends(one.offset, one.octets)}</span>
              <span class="what">{one.label}</span>
            </button>
          </li>
        {/each}
      </ol>
      <div class="there">
        {#if work.says}<p role="alert">{work.says}</p>{/if}
        {#if work.here && work.stretch}
          <StretchMap {plant} {work} here={work.here} stretch={work.stretch} />
          <OctetViews {plant} {work} here={work.here} stretch={work.stretch} />
        {/if}
      </div>
    </div>
  {/if}
</div>

<style>
  .page {
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 0;
  }
  .areas {
    display: flex;
    margin-left: var(--s4);
  }
  .areas button + button {
    border-left: 0;
  }
  .areas button[aria-pressed='true'] {
    background: var(--heather-tint);
  }
  .both {
    display: grid;
    grid-template-columns: 216px minmax(0, 1fr);
    gap: var(--s6);
    flex: 1;
    min-height: 0;
    margin-top: var(--s4);
  }
  .stretches {
    list-style: none;
    margin: 0;
    padding: 0;
    overflow: auto;
  }
  .stretches li {
    border-bottom: 1px solid var(--rule);
  }
  .stretches button {
    display: grid;
    grid-template-columns: 66px minmax(0, 1fr);
    align-items: center;
    gap: var(--s3);
    width: 100%;
    height: 26px;
    padding: 0 var(--s2);
    border: 0;
    background: none;
    text-align: left;
    font: var(--f-note) var(--text);
  }
  .stretches button[aria-current='true'] {
    background: var(--heather-tint);
  }
  .stretches .mono {
    color: var(--ink-2);
    font-size: var(--f-small);
  }
  .what {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .there {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  [role='alert'] {
    color: var(--bracken);
  }
</style>
