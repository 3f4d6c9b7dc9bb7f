<script lang="ts">
  import { untrack } from 'svelte';
  import { got, http } from '../../../api/client';
  import { live } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import type { TextEditor } from './editor';
  import type { ProgramWork } from './programWork.svelte';

  /** The text with its marks, numbers and live values. What edits it is fetched when it is first needed. */
  let { plant, work, line }: { plant: PlantStore; work: ProgramWork; line: string } = $props();

  let holder = $state<HTMLDivElement>();
  let editor = $state.raw<TextEditor>();

  export function goTo(place: { line: number; column: number }) {
    editor?.goTo(place);
  }
  export function mend(fix: { line: number; column: number; letters: number; by: string }) {
    editor?.mend(fix);
  }

  $effect(() => {
    const parent = holder;
    if (!parent) return;
    let made: TextEditor | undefined;
    let gone = false;
    untrack(async () => {
      const params = { path: { key: plant.key, program_id: work.id } };
      const [{ TextEditor }, answer] = await Promise.all([
        import('./editor'),
        http.GET('/api/plants/{key}/programs/{program_id}/names', { params }),
      ]);
      if (gone) return;
      made = editor = new TextEditor(parent, work.text, got(answer), {
        label: `Text of ${work.row?.name ?? 'the program'}`,
        locked: !plant.mayEdit,
        changed: () => made && made.text !== work.text && work.typed(made.text),
        left: () => void work.save(),
        save: () => void work.save(),
      });
      if (line) made.goTo({ line: Number(line) || 1, column: 1 });
    }).catch(() => {});
    return () => {
      gone = true;
      made?.close();
      editor = undefined;
    };
  });

  $effect(() => editor?.replace(work.text));
  $effect(() => editor?.lock(!plant.mayEdit));
  $effect(() => editor?.tell(work.beside));
  $effect(() => {
    const place = Number(line);
    if (place) untrack(() => editor?.goTo({ line: place, column: 1 }));
  });

  // ── values beside the lines

  const MOST = 400;
  $effect(() => {
    if (!plant.bench.running) return;
    const { uses } = work.beside;
    if (uses) plant.bench.follow([...new Set(uses.map((use) => use.variable))].slice(0, MOST));
  });

  /** How long ago a value came to be what it is. */
  function age(seconds: number): string {
    if (seconds < 1) return '';
    if (seconds < 100) return `${Math.floor(seconds)} s`;
    return seconds < 6000 ? `${Math.floor(seconds / 60)} min` : `${Math.floor(seconds / 3600)} h`;
  }

  $effect(() => {
    const { values, time, frozen } = plant.bench;
    void work.beside;
    if (!holder || !editor) return;
    for (const one of holder.querySelectorAll<HTMLElement>('[data-variable]')) {
      const now = values.get(one.dataset.variable!);
      const [, value, aged] = one.children as unknown as HTMLElement[];
      const unit = one.dataset.unit ? ` ${one.dataset.unit}` : '';
      value!.dataset.says = now ? live(now.value) + unit : '';
      one.classList.toggle('old', frozen || now?.quality === 'old');
      one.classList.toggle('forced', now?.quality === 'forced');
      const since = now ? age(time - now.at) : '';
      if (aged!.dataset.says !== since) aged!.dataset.says = since;
    }
  });
</script>

<div class="text" bind:this={holder}></div>

<style>
  .text {
    border: 1px solid var(--rule-2);
    background: var(--leaf);
    min-height: 300px;
  }
  .text :global(.cm-editor) {
    height: max(300px, calc(100vh - 290px));
    font-size: var(--f-note);
    color: var(--ink);
  }
  .text :global(.cm-editor.cm-focused) {
    outline: 2px solid var(--heather);
  }
  .text :global(.cm-scroller) {
    font-family: var(--mono);
    line-height: 1.5;
  }
  .text :global(.cm-content) {
    caret-color: var(--ink);
  }
  .text :global(.cm-cursor) {
    border-left-color: var(--ink);
  }
  .text :global(.cm-selectionBackground),
  .text :global(.cm-editor.cm-focused .cm-selectionBackground) {
    background: var(--heather-tint);
  }
  .text :global(.cm-gutters) {
    background: var(--sunk);
    color: var(--ink-3);
    border-right: 1px solid var(--rule);
  }
  .text :global(.cm-gutter.findings) {
    min-width: 18px;
  }
  .text :global(.finding) {
    padding-left: var(--s2);
  }
  .text :global(.finding.error) {
    color: var(--bracken);
  }
  .text :global(.finding.warning) {
    color: var(--gorse);
  }
  .text :global(.st-word) {
    font-weight: 600;
  }
  .text :global(.st-comment) {
    color: var(--ink-2);
    font-style: italic;
  }
  .text :global(.st-fault) {
    text-decoration: underline wavy var(--bracken);
  }
  .text :global(.st-stopped) {
    background: var(--bracken-tint);
  }
  .text :global(.st-values) {
    margin-left: var(--s7);
    font-size: var(--f-small);
  }
  .text :global(.st-values > span) {
    margin-right: var(--s5);
    white-space: nowrap;
  }
  .text :global(.st-values [data-says]::before) {
    content: attr(data-says);
  }
  .text :global(.st-values i) {
    font-style: normal;
    color: var(--ink-2);
    margin-right: var(--s2);
  }
  .text :global(.st-values b) {
    color: var(--tarn);
  }
  .text :global(.st-values small) {
    color: var(--ink-3);
    font-size: var(--f-tiny);
    margin-left: var(--s2);
  }
  .text :global(.st-values .old b) {
    color: var(--ink-3);
    font-style: italic;
    font-weight: 500;
  }
  .text :global(.st-values .forced b) {
    color: var(--gorse);
  }
  .text :global(.cm-tooltip) {
    background: var(--leaf);
    border: 1px solid var(--rule-2);
  }
  .text :global(.cm-tooltip-autocomplete > ul > li[aria-selected]) {
    background: var(--heather-tint);
    color: var(--ink);
  }
  .text :global(.cm-panels) {
    background: var(--sunk);
    color: var(--ink);
  }
  .text :global(.cm-panels .cm-textfield),
  .text :global(.cm-panels .cm-button) {
    background: var(--leaf);
    border: 1px solid var(--rule-2);
    color: var(--ink);
    font: var(--f-note) var(--text);
  }
  .text :global(.cm-searchMatch) {
    background: var(--gorse-tint);
  }
</style>
