<script lang="ts">
  import { focused } from '../../../kit/focus';
  import InlineForm from '../../../kit/InlineForm.svelte';
  import type { DeviceOut, DeviceWork, Doing } from './device.svelte';

  /** Something done at a scanner's device: its password is asked each time. */
  let {
    work,
    told,
    doing,
    name,
    onleave,
  }: { work: DeviceWork; told: DeviceOut; doing: Doing; name: string; onleave: () => void } =
    $props();

  let password = $state('');
  let anew = $state('');
  let again = $state('');
  const MAKE = { send: 'Send it', password: 'Give it this password', reset: 'Reset it' };
  const factory = $derived(told.factory);
  const fresh = $derived(doing === 'password' || (doing === 'send' && !!factory));

  async function make() {
    if (fresh && anew !== again) {
      work.problem = 'The new password is not the same both times.';
      return;
    }
    const done = await work.do(doing, password, fresh ? anew : '');
    password = '';
    if (!done) return;
    [anew, again] = ['', ''];
    onleave();
  }
  function leave() {
    work.problem = '';
    onleave();
  }
</script>

<InlineForm make={MAKE[doing]} problem={work.problem} onmake={make} oncancel={leave}>
  <p>
    {#if doing === 'reset'}
      As if its reset was pressed at the device: it loses all that is in it, and its password is the
      factory one again. Its outputs stay off until something is sent.
    {:else if doing === 'send'}
      {name} gets what is configured here: its setup, situations and zones. Its outputs go off while it
      restarts.
    {/if}
    {#if fresh && factory}
      The factory password is in every data sheet (<code>{factory}</code>): it has to go.
    {/if}
  </p>
  {#if doing !== 'reset'}
    <label
      >{factory ? 'Factory password' : 'Password of the device'}
      <input
        type="password"
        autocomplete="off"
        bind:value={password}
        required
        maxlength="500"
        use:focused
      /></label
    >
  {/if}
  {#if fresh}
    <label
      >New password
      <input
        type="password"
        autocomplete="new-password"
        bind:value={anew}
        required
        maxlength="500"
      /></label
    >
    <label
      >The same again
      <input
        type="password"
        autocomplete="new-password"
        bind:value={again}
        required
        maxlength="500"
      /></label
    >
  {/if}
</InlineForm>

<style>
  p {
    flex: 1 1 100%;
    max-width: 80ch;
  }
</style>
