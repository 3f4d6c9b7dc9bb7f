<script lang="ts">
  import { Problem, type Schemas } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import { focused } from './focus';

  /** A free place that can be named where it stands: the signal is made and linked in one edit. One that is there already
   * is linked to this place as well. */
  let {
    plant,
    controller,
    place,
    key,
    type,
    label,
    scaling = null,
    unit = '',
  }: {
    plant: PlantStore;
    controller: string | undefined;
    place: string;
    key: string;
    type: string;
    label: string;
    /** What makes a value of the count that stands there. */
    scaling?: Schemas['LinearScale'] | null;
    unit?: string;
  } = $props();

  let name = $state<string | null>(null);
  let problem = $state('');
  let button = $state<HTMLButtonElement>();
  let input = $state<HTMLInputElement>();
  const FREE = 'data-free';

  async function make() {
    const pattern = name?.trim();
    if (!pattern || !controller) return;
    const there = plant
      .list('signals', 'controller', controller)
      .find((signal) => signal.name.toLowerCase() === pattern.toLowerCase());
    const link = there && {
      kind: 'link' as const,
      signal: there.id,
      place,
      key,
      instead: null,
      also: true,
    };
    const added = {
      kind: 'add-signals' as const,
      controller,
      pattern,
      start: 1,
      step: 1,
      count: 1,
      type: scaling ? 'REAL' : type,
      unit,
      note: '',
      place,
      key,
      scaling: scaling && { ...scaling },
    };
    // Whoever names one goes on with the one below it.
    const free = [...(input?.closest('table')?.querySelectorAll<HTMLElement>(`[${FREE}]`) ?? [])];
    const next = free[free.indexOf(input!) + 1];
    try {
      await plant.edit(link ?? added, link ? `Link ${there.name}` : `Add signal ${pattern}`);
      leave();
      next?.focus();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  function leave() {
    name = null;
    problem = '';
    // Once the button stands there again.
    window.requestAnimationFrame(() => button?.focus());
  }

  function typed(event: KeyboardEvent) {
    event.stopPropagation();
    if (event.key === 'Enter') void make();
    else if (event.key === 'Escape') leave();
  }
</script>

{#if name !== null}
  <input
    class="mono"
    bind:this={input}
    data-free
    bind:value={name}
    use:focused
    aria-label="Name of {label}"
    aria-invalid={problem !== ''}
    placeholder="its signal, {type}"
    onkeydown={typed}
    onblur={() => !name?.trim() && (name = null)}
  />
  {#if problem}<p role="alert">{problem}</p>{/if}
{:else if plant.mayEdit && controller}
  <button
    class="plain"
    data-free
    bind:this={button}
    title="Free: name it, or enter the name of a signal that is there"
    onclick={() => (name = '')}>name it<span class="unseen">: {label}</span></button
  >
{:else}<span class="quiet">free</span>{/if}

<style>
  input {
    width: 150px;
    height: 24px;
  }
  button {
    height: 22px;
    padding: 0;
    border: 0;
    font: var(--f-note) var(--text);
    color: var(--ink-2);
  }
  button:hover {
    text-decoration: underline;
  }
  p {
    margin: 0;
    max-width: 240px;
    color: var(--bracken);
    font: var(--f-small) var(--text);
    white-space: normal;
  }
</style>
