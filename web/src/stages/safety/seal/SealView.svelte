<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../../kit/Empty.svelte';
  import { instant } from '../../../kit/days';
  import Mark from '../../../kit/Mark.svelte';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import { SealWork, grouped } from './seal.svelte';
  import SealForm from './SealForm.svelte';
  import Strata from './Strata.svelte';

  /** A controller's seal: whether all that bears on safety is as it was sealed, what is not, and by which edits. */
  let { plant, controllerId }: { plant: PlantStore; controllerId: string } = $props();

  const safe = $derived(
    plant.list('controllers').filter((one) => plant.list('functions', 'controller', one.id).length),
  );
  const own = $derived(safe.find((one) => one.id === controllerId) ?? safe[0]);
  const work = untrack(() => new SealWork(plant, () => own?.id ?? ''));
  let sealing = $state(false);
  const told = $derived(work.told?.told);
  const kept = $derived(told?.kept);
  const base = $derived(`/p/${plant.key}/safety`);

  $effect(() => {
    const id = own?.id;
    untrack(() => plant.select(...(id ? [id] : [])));
  });
  const to = (path: string) => (event: MouseEvent) => {
    event.preventDefault();
    router.go(path);
  };
</script>

<header class="row">
  <h1>Seal</h1>
  {#if safe.length > 1}
    <nav aria-label="Controllers">
      {#each safe as one (one.id)}
        <button
          class="plain"
          aria-current={one.id === own?.id ? 'true' : undefined}
          onclick={() => router.go(`${base}/seal/${one.id}`)}>{one.name}</button
        >
      {/each}
    </nav>
  {/if}
  <span class="wide"></span>
  <a href={base} onclick={to(base)}>Functions</a>
  <a href="{base}/scanners" onclick={to(`${base}/scanners`)}>Scanners</a>
  {#if own}
    <a href="/api/plants/{plant.key}/seals/{own.id}/report" target="_blank" rel="noopener"
      >Report, to print</a
    >
  {/if}
</header>

{#if !own}
  <Empty title="Nothing to seal yet">
    <p>
      A seal is the fingerprint of all that bears on safety. It is for what has a safety function,
      and there is none yet.
    </p>
  </Empty>
{:else if told && work.told}
  <div class="row state">
    {#if told.state === 'whole'}
      <Mark state="good" word="Whole" />
    {:else if told.state === 'broken'}
      <Mark state="error" word="Broken" />
    {:else}
      <Mark state="idle" word="Not sealed" />
    {/if}
    {#if kept}
      <span
        >sealed by <strong>{kept.by}</strong> on {instant(kept.at)}, revision {kept.revision}</span
      >
    {:else}
      <span class="quiet">{own.name}, as it is configured now</span>
    {/if}
    <span class="wide"></span>
    {#if work.told.may && (told.state !== 'whole' || kept?.brought)}
      <button disabled={sealing} onclick={() => (sealing = true)}>Seal {own.name} …</button>
    {:else if told.state !== 'whole'}
      <span class="quiet">An assessor seals, or the owner.</span>
    {/if}
  </div>
  {#if kept?.edited_last || kept?.brought}
    <p class="warn">
      {#if kept.brought}It came with a file: nobody sealed it here.
      {/if}{#if kept.edited_last}Who sealed it had made the last edit of it.{/if}
    </p>
  {/if}
  <p class="print">
    <code aria-label="Fingerprint">{grouped(told.fingerprint)}</code>
  </p>
  {#if sealing}
    <SealForm
      {plant}
      controller={own.id}
      asks={work.told.asks}
      open={work.told.open}
      onleave={() => (sealing = false)}
    />
  {/if}
  {#if told.alike.length}
    <p class="warn" role="alert">
      Called alike, so that a seal could not tell them apart: {told.alike.join('; ')}.
    </p>
  {/if}
  <Strata {work} />
  <div class="two">
    {#if told.state === 'broken'}
      <section aria-label="Edits since">
        <h2>What broke it</h2>
        {#if work.told.since.length}
          <ul>
            {#each work.told.since as edit (edit.revision)}
              <li>
                <span class="mono">{edit.revision}</span>
                <span>{edit.label}</span>
                <span class="quiet"
                  >{edit.author}, {new Date(edit.time).toLocaleString('en-GB', {
                    dateStyle: 'short',
                    timeStyle: 'short',
                  })}</span
                >
              </li>
            {/each}
          </ul>
        {:else}
          <p class="quiet">No edit of this plant since: it follows from this program itself.</p>
        {/if}
      </section>
    {/if}
    <section aria-label="Still open">
      <h2>Still open</h2>
      {#if work.told.open.length}
        <p class="quiet">{work.told.open.length} open, kept with the seal</p>
        <ul>
          {#each work.told.open as text (text)}<li>{text}</li>{/each}
        </ul>
      {:else}
        <Mark state="good" word="all proved" />
      {/if}
    </section>
  </div>
  <p class="quiet fine">
    Highmoor computes and documents; it certifies nothing. Results are sealed with what they follow
    from, rounded up to 1 ms and 1 mm.
  </p>
{/if}

<style>
  .state {
    margin-top: var(--s4);
    align-items: baseline;
  }
  .print {
    margin: var(--s3) 0;
  }
  .print code {
    font-size: var(--f-small);
    word-spacing: 0.2em;
  }
  .warn {
    color: var(--bracken);
    margin: var(--s3) 0 0;
  }
  .two {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
    gap: var(--s5) var(--s6);
    align-items: start;
  }
  ul {
    list-style: none;
    margin: var(--s3) 0 0;
    padding: 0;
  }
  li {
    display: flex;
    gap: var(--s4);
    align-items: baseline;
    padding: var(--s1) 0;
  }
  .fine {
    margin-top: var(--s5);
  }
</style>
