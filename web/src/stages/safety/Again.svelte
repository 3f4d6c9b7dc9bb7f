<script lang="ts">
  import type { SafetyWork } from './safetyWork.svelte';

  /** How it starts again: by whose hand, and which signals reset, start, stop and feed back. */
  let { work }: { work: SafetyWork } = $props();

  const plant = $derived(work.plant);
  const own = $derived(work.current);
  const actuators = $derived(work.parts.filter((part) => part.role === 'actuator'));
  const signals = $derived(
    own ? plant.list('signals', 'controller', own.controller).filter((s) => s.type === 'BOOL') : [],
  );
  const restart = $derived(own?.settings?.restart === 'self' ? 'self' : 'hand');
  const ROLES = [
    ['reset', 'Reset by'],
    ['start', 'Started by'],
    ['stop', 'Stopped in operation by'],
  ] as const;
</script>

{#snippet pick(of: string, role: string, label: string)}
  <label
    >{label}
    <select
      disabled={!plant.mayEdit}
      value={work.used(of, role)}
      onchange={(event) => void work.use(of, role, event.currentTarget.value, label)}
    >
      <option value="">no signal</option>
      {#each signals as signal (signal.id)}<option value={signal.id}>{signal.name}</option>{/each}
    </select></label
  >
{/snippet}

{#if own}
  <div class="grid">
    <label
      >After a demand
      <select
        disabled={!plant.mayEdit}
        value={restart}
        onchange={(event) =>
          work.set('settings.restart', event.currentTarget.value, 'how it starts again')}
      >
        <option value="hand">stays off until it is reset</option>
        <option value="self">is on again once all is good</option>
      </select></label
    >
    {#each ROLES as [role, label] (role)}{@render pick(own.id, role, label)}{/each}
    {#each actuators as part (part.id)}{@render pick(
        part.id,
        'feedback',
        `Feedback of ${part.name}`,
      )}{/each}
  </div>
  <p class="quiet">
    A reset counts when its button was seen pressed after the start and is let go, and never while a
    demand lasts. It starts nothing.
  </p>
{/if}

<style>
  .grid {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
    gap: var(--s4) var(--s5);
  }
  label {
    display: grid;
    gap: var(--s1);
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  select {
    width: 100%;
    color: var(--ink);
  }
  p {
    margin-top: var(--s3);
    font-size: var(--f-note);
  }
</style>
