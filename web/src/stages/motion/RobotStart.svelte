<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { RobotLive } from './robotLive.svelte';

  /** The hand on a robot: initialised step by step as far as it goes, then along its straight move. */
  let { plant, live }: { plant: PlantStore; live: RobotLive } = $props();

  const told = $derived(live.told);
  const STATES = {
    off: 'not initialised',
    initialising: 'is being initialised',
    ready: 'ready',
    moving: 'moves',
    failed: 'stopped',
  } as const;
  const MARKS = { open: 'idle', now: 'pending', good: 'good', bad: 'error' } as const;
  const failing = $derived(told?.steps.some((step) => step.state === 'bad'));
  const busy = $derived(told?.state === 'initialising' || told?.state === 'moving');
  const older = $derived((plant.bench.state?.revision ?? plant.configured) < plant.configured);
  const place = (p: readonly number[]) =>
    p.map((value) => shown(Math.round(value * 10) / 10)).join(', ');
  const off = $derived.by(() => {
    if (!told?.place || !told.really) return 0;
    return Math.hypot(...told.place.map((value, n) => value - (told.really?.[n] ?? 0)));
  });

  function key(event: KeyboardEvent) {
    if (event.key !== ' ' || !busy) return;
    // Whatever has the focus: a space stops it.
    event.preventDefault();
    event.stopPropagation();
    void live.do('stop');
  }
</script>

<svelte:window onkeydowncapture={key} />

<section aria-label="On the bench">
  <div class="row head">
    <h2>On the bench</h2>
    {#if told}<span>{STATES[told.state]}</span>{/if}
    {#if told?.place}<span class="quiet"
        >platform at <span class="mono">{place(told.place)}</span> mm{#if off > 1}<span
            class="problem">, and really {shown(off, 2)} mm from there</span
          >{/if}</span
      >{/if}
  </div>
  {#if plant.mayEdit && plant.bench.running && older}
    <p class="quiet">
      The bench runs r{plant.bench.state?.revision}.
      <button onclick={() => void plant.bench.download()}>Download r{plant.revision}</button>
    </p>
  {/if}
  {#if !plant.bench.running}
    <p class="quiet">
      The bench does not run.
      {#if plant.mayEdit}<button onclick={() => void plant.bench.download()}
          >Download and run</button
        >{/if}
    </p>
  {:else if !told}
    <p class="quiet">This robot is not on the bench.</p>
  {:else}
    {#if plant.mayEdit}
      <div class="row acts">
        <button
          class:primary={told.state !== 'ready'}
          disabled={busy}
          onclick={() => void live.do('initialise')}>Initialise</button
        >
        <button
          class:primary={told.state === 'ready'}
          disabled={told.state !== 'ready'}
          onclick={() => void live.do('go')}>Go the straight move</button
        >
        <button disabled={!busy} onclick={() => void live.do('stop')}>Stop <kbd>Space</kbd></button>
        <button
          class="plain"
          disabled={busy || told.state === 'off'}
          onclick={() => void live.do('disable')}>Take its power</button
        >
      </div>
    {/if}
    {#if live.problem}<p class="problem" role="alert">{live.problem}</p>{/if}
    {#if told.text && !failing}<p class:problem={told.state === 'failed'} role="status">
        {told.text}.
      </p>{/if}
    <ol aria-label="Initialisation" aria-live="polite">
      {#each told.steps as step (step.key)}
        <li class={step.state}>
          <Mark state={MARKS[step.state]} />
          <p>{step.says} <span class="quiet">{step.text}</span></p>
        </li>
      {/each}
    </ol>
  {/if}
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  .acts {
    gap: var(--s3);
    margin: var(--s3) 0;
  }
  ol {
    list-style: none;
    margin: var(--s3) 0 0;
    padding: 0;
    columns: 2;
    column-gap: var(--s7);
  }
  li {
    display: flex;
    gap: var(--s3);
    align-items: baseline;
    break-inside: avoid;
    padding: var(--s1) 0;
  }
  li.open {
    color: var(--ink-3);
  }
  li p {
    margin: 0;
  }
  li.bad p span,
  .problem {
    color: var(--bracken);
  }
</style>
