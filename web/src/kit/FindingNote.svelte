<script lang="ts">
  import { untrack } from 'svelte';
  import type { Finding, Remedy } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import Mark from './Mark.svelte';

  /** A finding: what, where, why; and the remedy as a button that says what it will do. Of several that are alike the
   * others stand below, folded unless they are to be `listed`. */
  let {
    plant,
    finding,
    others = [],
    remedy = null,
    ongo = null,
    key = '',
    gone = false,
    listed = false,
  }: {
    plant: PlantStore;
    finding: Finding;
    others?: Finding[];
    remedy?: Remedy | null;
    ongo?: ((finding: Finding) => void) | null;
    /** The key that mends it, where there is one. */
    key?: string;
    gone?: boolean;
    listed?: boolean;
  } = $props();
  let open = $state(false);
  let unfolded = $state(untrack(() => listed));
  let busy = $state(false);

  async function mend() {
    if (!remedy?.edit || busy) return;
    busy = true;
    try {
      await plant.edit(remedy.edit, remedy.label);
    } catch {
      // The refusal is shown in the dock.
    } finally {
      busy = false;
    }
  }
</script>

<article class="{finding.severity} {gone ? 'gone' : ''}">
  <header class="row">
    <Mark state={gone ? 'good' : finding.severity} word={gone ? 'mended' : finding.severity} />
    <code class="quiet">{finding.code}</code>
    <span class="wide"></span>
    {#if ongo}<button class="plain" onclick={() => ongo(finding)}>Go there</button>{/if}
  </header>
  <p>
    <strong>{finding.title}.</strong>
    {finding.text}
  </p>
  {#if others.length}
    <button class="plain same" aria-expanded={unfolded} onclick={() => (unfolded = !unfolded)}
      >{unfolded ? 'Fold' : `and ${others.length} more like it`}</button
    >
    {#if unfolded}
      <ul>
        {#each others as other (other.key)}
          <li>
            {other.text}
            {#if ongo}<button class="plain" onclick={() => ongo(other)}>Go there</button>{/if}
          </li>
        {/each}
      </ul>
    {/if}
  {/if}
  {#if open}
    <p class="why">{finding.reason}</p>
    {#if finding.standard}<p class="why">Source: {finding.standard}</p>{/if}
  {/if}
  <footer class="row">
    {#if remedy?.edit && plant.mayEdit && !gone}
      <button
        disabled={busy}
        onclick={mend}
        onpointerenter={() => remedy?.edit && void plant.tryOut(remedy.edit, remedy.label)}
        onpointerleave={() => plant.endPreview()}
        >{remedy.label}{#if key}<kbd>{key}</kbd>{/if}</button
      >
    {:else if remedy && !gone}
      <span class="quiet">{remedy.label}</span>
    {/if}
    {#if remedy && remedy.hand !== 'in the project'}<span class="quiet">{remedy.hand}</span>{/if}
    {#if remedy?.restart}<span class="quiet">needs a restart</span>{/if}
    <button class="plain quiet" aria-expanded={open} onclick={() => (open = !open)}
      >{open ? 'Less' : 'Why'}</button
    >
  </footer>
</article>

<style>
  kbd {
    margin-left: var(--s2);
  }
  article {
    border-left: 3px solid var(--rule-2);
    padding: var(--s2) var(--s4) var(--s3) var(--s4);
    margin: var(--s3) 0;
    background: linear-gradient(90deg, var(--tint, transparent), transparent);
  }
  .error {
    --tint: var(--bracken-tint);
    border-color: var(--bracken);
  }
  .warning {
    --tint: var(--gorse-tint);
    border-color: var(--gorse);
  }
  .gone {
    --tint: var(--lichen-tint);
    border-color: var(--lichen);
  }
  .same {
    padding: 0;
    font-size: var(--f-note);
  }
  ul {
    margin: 0;
    padding: 0 0 0 var(--s5);
    list-style: none;
    max-height: 220px;
    overflow-y: auto;
  }
  li {
    padding: var(--s1) 0;
    overflow-wrap: anywhere;
  }
  p {
    margin: var(--s1) 0;
    overflow-wrap: anywhere;
  }
  .why {
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  footer {
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    margin-top: var(--s2);
  }
  footer button {
    text-align: left;
  }
</style>
