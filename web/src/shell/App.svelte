<script lang="ts">
  import { got, http, Problem, useToken, type Schemas } from '../api/client';
  import { keepFocus } from '../kit/focusKept';
  import Plants from './Plants.svelte';
  import PlantView from './PlantView.svelte';
  import { router } from './router.svelte';
  import SignIn from './SignIn.svelte';
  import { applyTheme } from './theme';

  let me = $state.raw<Schemas['Me'] | null>(null);
  let trouble = $state('');

  applyTheme();
  $effect(() => keepFocus(document));
  void start();
  window.addEventListener('signed-out', () => void start());

  async function start() {
    try {
      me = got(await http.GET('/api/session'));
      useToken(me.csrf);
      if (me.name && ['/', '/sign-in'].includes(router.path)) await goHome();
      trouble = '';
    } catch (error) {
      trouble = error instanceof Problem ? error.detail : 'The server cannot be reached.';
      window.setTimeout(() => void start(), 2000);
    }
  }

  /** With one plant only there is nothing to choose from: open it. */
  async function goHome() {
    const plants = got(await http.GET('/api/plants'));
    const only = plants.length === 1 ? plants[0] : undefined;
    router.go(only ? `/p/${only.key}/hardware` : '/plants', { replace: true });
  }

  async function signedIn(who: Schemas['Me']) {
    me = who;
    useToken(who.csrf);
    if (router.path === '/sign-in' || router.path === '/') await goHome();
  }

  async function signOut() {
    me = got(await http.DELETE('/api/session'));
    useToken(me.csrf);
    router.go('/sign-in');
  }

  const parts = $derived(router.parts);
</script>

{#if trouble}
  <p class="notice">{trouble} Trying again …</p>
{:else if me && !me.name}
  <SignIn {me} onsignedin={signedIn} />
{:else if me}
  {#if parts[0] === 'p' && parts[1]}
    {#key parts[1]}
      <PlantView key={parts[1]} {me} onsignout={signOut} />
    {/key}
  {:else}
    <Plants {me} onsignout={signOut} />
  {/if}
{/if}

<style>
  .notice {
    padding: var(--s7);
  }
</style>
