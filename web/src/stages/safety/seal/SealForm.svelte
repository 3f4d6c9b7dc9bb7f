<script lang="ts">
  import { untrack } from 'svelte';
  import { got, http, Problem } from '../../../api/client';
  import { focused } from '../../../kit/focus';
  import InlineForm from '../../../kit/InlineForm.svelte';
  import type { PlantStore } from '../../../plant/store.svelte';

  /** Sealing: what is open is said before, and the password is asked again. */
  let {
    plant,
    controller,
    asks,
    open,
    onleave,
  }: {
    plant: PlantStore;
    controller: string;
    /** Whether there is a password to ask for. */
    asks: boolean;
    open: string[];
    onleave: () => void;
  } = $props();

  let password = $state('');
  let problem = $state('');
  const unproved = untrack(() => open.length);

  async function make() {
    problem = '';
    try {
      await plant.once(async (as) => {
        const body = { controller, password, ...as };
        return got(
          await http.POST('/api/plants/{key}/seals', {
            params: { path: { key: plant.key } },
            body,
          }),
        );
      });
      onleave();
    } catch (refused) {
      problem = refused instanceof Problem ? refused.message : 'The server cannot be reached.';
    } finally {
      password = '';
    }
  }
</script>

<InlineForm make="Seal it" {problem} onmake={make} oncancel={onleave}>
  <p>
    You say by this that you have looked at all of it, as it is now, and find it good. {unproved
      ? 'What is not proved on site is kept with the seal.'
      : ''}
  </p>
  {#if asks}
    <label
      >Your password, again
      <input
        type="password"
        autocomplete="current-password"
        bind:value={password}
        required
        use:focused
      /></label
    >
  {:else}
    <p class="quiet">This account has no password, so none is asked for.</p>
  {/if}
</InlineForm>

<style>
  p {
    flex: 1 1 100%;
    max-width: 70ch;
  }
</style>
