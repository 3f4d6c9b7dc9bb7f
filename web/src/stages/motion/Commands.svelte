<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import LiveValue from '../../kit/LiveValue.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import Decoder from './Decoder.svelte';
  import HandoverLanes from './HandoverLanes.svelte';
  import { ProfileTemplates } from './profileTemplates.svelte';

  /** Which words command an axis and which tell of it: where each stands, and the signal it is to the program. */
  let { plant, axis }: { plant: PlantStore; axis: string } = $props();

  const row = $derived(plant.row('axes', axis));
  const told = $derived(plant.part('axis.commands', axis));
  const handover = $derived(plant.part('axis.handover', axis));
  let all = $state(false);
  let base = $state('');
  const templates = untrack(() => new ProfileTemplates(plant));
  void untrack(() => templates.fetch());
  let keeping = $state<string | null>(null);
  const profile = $derived(plant.row('command_profiles', row?.profile ?? ''));
  const mine = $derived(templates.all.find((each) => `t${each.id}` === base));
  const shown = $derived(told?.words.filter((w) => all || w.signal || !w.optional) ?? []);
  const sides = $derived([
    { way: 'out', title: '▸ to the drive', words: shown.filter((w) => w.way === 'out') },
    { way: 'in', title: '◂ from it', words: shown.filter((w) => w.way === 'in') },
  ]);
  const decoded = $derived(
    (told?.words ?? []).flatMap((w) => {
      const kind = told?.decodes[w.role];
      return kind ? [{ kind, label: w.label }] : [];
    }),
  );
  const open = $derived(told?.words.some((w) => !w.optional && !w.signal) ?? false);
  const optional = $derived(told?.words.filter((w) => w.optional && !w.signal && w.exchange) ?? []);

  $effect(() => {
    const signals = shown.map((w) => w.signal).filter(Boolean);
    if (plant.bench.running && signals.length) plant.bench.follow(signals);
  });

  async function name(more: boolean) {
    const taken = mine && templates.taken(mine.id, axis);
    const named = {
      kind: 'name-words' as const,
      axis,
      profile: null,
      base: taken ? null : base || null,
      optional: more,
    };
    const edit = taken ? { kind: 'batch' as const, edits: [taken, named] } : named;
    await plant.edit(edit, `Name the words of ${row?.name ?? ''}`).catch(() => {});
  }

  async function keep() {
    if (profile && keeping?.trim()) await templates.keep(profile.id, keeping.trim());
    keeping = null;
  }
</script>

<section aria-label="Commands">
  <div class="row head">
    <h2>Commands</h2>
    <span class="quiet">{told ? told.label : row?.drive ? 'no profile yet' : 'no drive yet'}</span>
    <span class="wide"></span>
    {#if plant.mayEdit && row?.drive}
      {#if !told}
        <select aria-label="Profile" bind:value={base}>
          <option value="">as its network usually has it</option>
          {#each Object.entries(plant.catalogue.command_bases) as [key, label] (key)}
            <option value={key}>{label}</option>
          {/each}
          {#if templates.all.length}
            <optgroup label="My templates">
              {#each templates.all as each (each.id)}
                <option value="t{each.id}">{each.name}</option>
              {/each}
            </optgroup>
          {/if}
        </select>
        {#if mine}<button class="plain" onclick={() => void templates.forget(mine)}
            >Forget it</button
          >{/if}
      {/if}
      {#if !told || open}<button onclick={() => void name(false)}>Name its words</button>
      {:else if optional.length}<button class="plain" onclick={() => void name(true)}
          >Name {optional.length} more</button
        >{/if}
      {#if profile && keeping === null}
        <button class="plain" onclick={() => (keeping = profile.name)}>Keep its profile</button>
      {:else if profile}
        <input
          aria-label="Name of the template"
          bind:value={keeping}
          use:focused
          onkeydown={(event) => {
            if (event.key === 'Enter') void keep();
            else if (event.key === 'Escape') keeping = null;
          }}
        />
        <button onclick={() => void keep()}>Keep</button>
      {/if}
    {/if}
  </div>
  {#if templates.told}<p class="quiet" role="status">{templates.told}</p>{/if}
  {#if told}
    <div class="sides">
      {#each sides as side (side.way)}
        <table>
          <caption>{side.title}</caption>
          <tbody>
            {#each side.words as word (word.role)}
              {@const signal = plant.row('signals', word.signal)}
              <tr>
                <td>{word.label}</td>
                <td class="mono quiet">{word.key || '–'}</td>
                <td class="signal">
                  {#if signal}
                    <button
                      class="plain"
                      title={signal.name}
                      onclick={() => router.go(`/p/${plant.key}/signals/${word.signal}`)}
                      >{signal.name}</button
                    >
                  {:else}<span class="quiet">{word.problem || '–'}</span>{/if}
                </td>
                <td class="value"
                  >{#if signal && plant.bench.running}<LiveValue
                      {plant}
                      signal={word.signal}
                      unit=""
                    />{/if}</td
                >
              </tr>
              {#if signal && word.problem}
                <tr><td colspan="4" class="problem">{word.problem}</td></tr>
              {/if}
            {/each}
          </tbody>
        </table>
      {/each}
    </div>
    {#if told.words.some((w) => w.optional && !w.signal)}
      <label class="more"><input type="checkbox" bind:checked={all} /> Show words nobody uses</label
      >
    {/if}
    <Decoder words={decoded} />
    {#if handover}<HandoverLanes told={handover} />{/if}
  {/if}
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
    margin-bottom: var(--s2);
  }
  .head input {
    width: 180px;
  }
  .sides {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--s6);
    align-items: start;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    table-layout: fixed;
    font-size: var(--f-note);
  }
  caption {
    text-align: left;
    color: var(--ink-2);
    padding-bottom: var(--s1);
  }
  td {
    border-top: 1px solid var(--rule);
    padding: var(--s1) var(--s2) var(--s1) 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  td:nth-child(2) {
    width: 78px;
  }
  td:nth-child(1) {
    width: 30%;
  }
  .value {
    width: 84px;
    text-align: right;
  }
  .signal button {
    padding: 0;
    font-size: var(--f-note);
    font-weight: 400;
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .problem {
    color: var(--bracken);
    border-top: 0;
  }
  .more {
    font-size: var(--f-note);
    color: var(--ink-2);
  }
  @container (max-width: 700px) {
    .sides {
      grid-template-columns: 1fr;
    }
  }
</style>
