<script lang="ts">
  import type { Schemas } from '../../api/client';
  import { focused } from '../../kit/focus';
  import Mark from '../../kit/Mark.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { plainly, type ObjectValue } from './objects';

  /** One value of an object: what it is, what it holds in every form, and another one typed for it. */
  let {
    plant,
    value,
    label,
    there,
    busy,
    onread,
    onwrite,
    onkeep,
  }: {
    plant: PlantStore;
    value: ObjectValue;
    label: string;
    there: Schemas['ObjectLiveOut'] | undefined;
    busy: boolean;
    onread: () => void;
    onwrite: (text: string) => void;
    onkeep: (what: { value: string } | { octets: string }) => void;
  } = $props();

  let typed = $state<string | null>(null);
  const running = $derived(plant.bench.running);
  const forms = $derived(there?.forms ?? value.usual);
  const meaning = $derived(
    value.meanings.find(([number]) => forms && String(number) === forms.decimal)?.[1],
  );
  const ACCESS: Record<string, string> = {
    ro: 'only read',
    rw: 'read and written',
    wo: 'only written',
  };
  const kind = $derived(
    [
      value.data_type &&
        (value.bits % 8 ? `${value.data_type}, ${value.bits} bits` : value.data_type),
      value.access && ACCESS[value.access],
      (value.least || value.most) && `${value.least || '…'} to ${value.most || '…'}`,
    ]
      .filter(Boolean)
      .join(' · '),
  );

  function key(event: KeyboardEvent) {
    if (event.key === 'Escape') typed = null;
    else if (event.key === 'Enter') commit(running ? onwrite : keepTyped);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const keepTyped = (text: string) => onkeep({ value: text });

  function commit(how: (text: string) => void) {
    if (typed === null || !typed.trim()) return;
    how(typed.trim());
    typed = null;
  }
</script>

<article>
  <p class="what">
    <code>{value.key.slice(5)}</code>
    {#if label}<strong>{label}</strong>{/if}
    <span class="quiet">{kind}</span>
  </p>
  <div class="row now">
    {#if forms}
      <strong class="mono" class:old={!there}
        >{plainly(forms)}{value.unit ? ` ${value.unit}` : ''}</strong
      >
      {#if meaning}<span>{meaning}</span>{/if}
      {#if !forms.text}
        <span class="mono quiet">{forms.hexadecimal}</span>
        {#if forms.binary.length <= 22}<span class="mono quiet">{forms.binary}</span>{/if}
      {/if}
      {#if !there}<span class="quiet">{value.why}</span>{/if}
    {:else if !there}<span class="quiet">not read yet</span>{/if}
    {#if there && !there.good}<Mark state="error" word={there.text} />{/if}
    {#if there?.forms && value.usual && there.forms.octets !== value.usual.octets}
      <Mark state="warning" word="configured {plainly(value.usual)}, {value.why}" />
    {/if}
    <span class="wide"></span>
    {#if plant.mayEdit && typed === null}
      {#if there?.good && there.forms && value.access === 'rw' && there.forms.octets !== value.usual?.octets}
        <button class="plain" onclick={() => onkeep({ octets: there!.forms!.octets })}
          >Keep for every start</button
        >
      {/if}
      {#if running && value.access !== 'wo'}<button class="plain" disabled={busy} onclick={onread}
          >Read</button
        >{/if}
      {#if value.access !== 'ro'}<button
          class="plain"
          onclick={() => (typed = forms && there ? plainly(forms) : '')}>Write …</button
        >{/if}
    {/if}
  </div>
  {#if typed !== null}
    <div class="row entry">
      <input
        class="mono"
        use:focused
        aria-label="New value of {value.key}"
        placeholder="250, 16#FA, 2#1111"
        bind:value={typed}
        onkeydown={key}
      />
      {#if running}<button class="primary" disabled={busy} onclick={() => commit(onwrite)}
          >Write now</button
        >{/if}
      <button class:primary={!running} onclick={() => commit(keepTyped)}
        >Write at every start</button
      >
      <button class="plain" onclick={() => (typed = null)}>Cancel</button>
    </div>
  {/if}
</article>

<style>
  article {
    border-bottom: 1px solid var(--rule);
    padding: var(--s2) 0;
  }
  p {
    margin: 0;
  }
  .what {
    display: flex;
    gap: var(--s3);
    align-items: baseline;
    font-size: var(--f-note);
  }
  .now {
    align-items: baseline;
    flex-wrap: wrap;
    gap: 0 var(--s4);
    font-size: var(--f-note);
    min-height: 24px;
  }
  .now strong {
    font-size: var(--f-head);
  }
  .old {
    color: var(--ink-3);
    font-weight: 400;
  }
  .entry input {
    width: 190px;
  }
  button {
    height: 24px;
    padding: 0 var(--s4);
    font-size: var(--f-note);
  }
</style>
