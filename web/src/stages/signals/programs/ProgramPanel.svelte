<script lang="ts">
  import { untrack } from 'svelte';
  import Mark from '../../../kit/Mark.svelte';
  import ObjectForm from '../../../kit/ObjectForm.svelte';
  import { plural } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import ProgramText from './ProgramText.svelte';
  import { ProgramWork } from './programWork.svelte';

  /** One program: its name and task, its text, and under it what is wrong. */
  let { plant, id, line }: { plant: PlantStore; id: string; line: string } = $props();

  const work = untrack(() => new ProgramWork(plant, id));
  let editor = $state<ProgramText>();
  const faults = $derived(work.checked?.faults ?? []);
  const controller = $derived(plant.row('controllers', work.row?.controller));
  /** The program was made after the bench was downloaded. */
  const older = $derived(
    plant.bench.running && plant.bench.state?.revision !== undefined && !work.told,
  );

  $effect(() => {
    // Whatever changes in the plant may change what a text means.
    void [plant.configured, work.row?.text];
    untrack(() => {
      work.follow();
      work.checkSoon(work.checked ? 150 : 0);
    });
  });
  $effect(() => () => work.leave());

  async function remove() {
    const row = work.row;
    if (!row) return;
    work.drop();
    const onward = router.onward();
    await plant.edit({ kind: 'remove', ids: [id] }, `Remove program ${row.name}`).catch(() => {});
    onward(`/p/${plant.key}/signals/programs`);
  }
</script>

<section aria-label="Program">
  <div class="row head">
    <ObjectForm {plant} {id} only={(path) => path === 'name' || path === 'task'} />
    <span class="wide"></span>
    <span class="quiet state" role="status">
      {#if work.problem}<Mark state="error" word={work.problem} />
      {:else if work.draft !== null}not saved yet
      {:else if faults.length}{plural(faults.length, 'fault')}
      {:else if work.checked}no faults{/if}
    </span>
    {#if plant.mayEdit}
      <button disabled={work.draft === null} onclick={() => work.save()}>Save</button>
      <button class="plain" onclick={remove}>Remove</button>
    {/if}
  </div>

  {#if work.stopped}
    <p class="notice" role="alert">
      <Mark state="error" />
      <span>
        {controller?.name} has stopped:
        {#if work.stopped.id === id}<button
            class="plain"
            onclick={() => editor?.goTo({ line: work.stopped!.line, column: 1 })}
            >line {work.stopped.line}</button
          >{:else}<button
            class="plain"
            onclick={() =>
              router.go(
                `/p/${plant.key}/signals/programs/${work.stopped!.id}/${work.stopped!.line}`,
              )}>{plant.row('programs', work.stopped.id)?.name}, line {work.stopped.line}</button
          >{/if}: {work.stopped.text} Its outputs do what they are set to. Download again to start it.
      </span>
      {#if plant.mayEdit}<button onclick={() => plant.bench.download()}>Download again</button>{/if}
    </p>
  {:else if older}
    <p class="notice quiet">
      This program was not there when the bench was downloaded.
      {#if plant.mayEdit}<button onclick={() => plant.bench.download()}>Download again</button>{/if}
    </p>
  {/if}
  {#if work.overtaken}
    <p class="notice" role="alert">
      <Mark state="warning" />
      <span>The text was changed meanwhile. What you typed is not saved.</span>
      <button onclick={() => work.save(true)}>Save mine</button>
      <button onclick={() => work.drop()}>Take theirs</button>
    </p>
  {/if}

  <ProgramText bind:this={editor} {plant} {work} {line} />

  {#if faults.length}
    <ul class="faults" aria-label="What is wrong">
      {#each faults.slice(0, 20) as fault, n (n)}
        <li>
          <Mark state="error" />
          <button class="plain mono" title="Go there" onclick={() => editor?.goTo(fault)}
            >{fault.line}:{fault.column}</button
          >
          <span>{fault.text}</span>
          {#if fault.mend && plant.mayEdit}<button onclick={() => editor?.mend(fault.mend!.fix)}
              >{fault.mend.label}</button
            >{/if}
        </li>
      {/each}
      {#if faults.length > 20}<li class="quiet">and {faults.length - 20} more</li>{/if}
    </ul>
  {/if}
</section>

<style>
  section {
    display: flex;
    flex-direction: column;
    gap: var(--s4);
    min-width: 0;
  }
  .head {
    align-items: center;
    gap: var(--s5);
  }
  .head :global(.field) {
    grid-template-columns: auto minmax(0, 168px);
  }
  .state {
    align-self: center;
    white-space: nowrap;
  }
  .notice {
    display: flex;
    align-items: center;
    gap: var(--s4);
    padding: var(--s3) var(--s4);
    background: var(--sunk);
  }
  .notice span {
    flex: 1;
  }
  .faults {
    list-style: none;
    margin: 0;
    padding: 0;
    max-height: 176px;
    overflow: auto;
  }
  .faults li {
    display: flex;
    align-items: baseline;
    gap: var(--s4);
    padding: var(--s2) 0;
    border-bottom: 1px solid var(--rule);
  }
  .faults li span {
    flex: 1;
  }
</style>
