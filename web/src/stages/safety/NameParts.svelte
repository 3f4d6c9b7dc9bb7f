<script lang="ts">
  import { Problem } from '../../api/client';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { focused } from '../../kit/focus';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Safe signals for all that a function's or a scanner's parts are wired to and that has none, by a pattern. */
  let {
    plant,
    of,
    usual,
    onleave,
  }: { plant: PlantStore; of: string; usual: string; onleave: () => void } = $props();

  // svelte-ignore state_referenced_locally
  let pattern = $state(usual);
  let problem = $state('');

  async function make() {
    problem = '';
    try {
      await plant.edit({ kind: 'name-parts', of, pattern }, 'Signals for safe channels');
      onleave();
    } catch (refused) {
      problem = refused instanceof Problem ? refused.detail : String(refused);
    }
  }
</script>

<InlineForm make="Make the signals" {problem} onmake={make} oncancel={onleave}>
  <label
    >Called
    <input bind:value={pattern} required use:focused /></label
  >
  <span class="quiet"
    >{'{part}, {function}, {scanner} and {output} are put in; what has a signal keeps it.'}</span
  >
</InlineForm>
