<script lang="ts">
  import { untrack } from 'svelte';
  import Mark from '../../../kit/Mark.svelte';
  import { instant } from '../../../kit/days';
  import { plural } from '../../../kit/numbers';
  import AtDevice from './AtDevice.svelte';
  import { DeviceWork, type Doing } from './device.svelte';
  import type { ScannerWork } from './scannerWork.svelte';

  /** What the scanner has in itself beside what is configured: what differs, sent there or taken over from there. */
  let { work }: { work: ScannerWork } = $props();

  const plant = $derived(work.plant);
  const own = $derived(work.current);
  const device = untrack(() => new DeviceWork(work.plant, () => work.current?.id ?? ''));
  let open = $state(false);
  let doing = $state<Doing | ''>('');
  const told = $derived(device.told);
  const differ = $derived(told?.differences ?? []);

  function begin(what: Doing) {
    device.problem = '';
    doing = doing === what ? '' : what;
  }
  async function take() {
    if (!own) return;
    await work.edit(
      { kind: 'scanner-from-device', scanner: own.id },
      `${own.name}: take over from the device`,
    );
  }
</script>

{#if told && own}
  <section aria-label="In the device">
    <div class="row">
      <span class="label">In the device</span>
      {#if told.state === 'assumed'}
        <Mark state="idle" word="as configured" />
        <span class="quiet">assumed, nothing was sent to it yet</span>
      {:else if told.state === 'empty'}
        <Mark state="error" word="nothing" />
        <span class="quiet">it was reset by {told.by} on {instant(told.at)}</span>
      {:else if differ.length}
        <Mark state="warning" word="{plural(differ.length, 'thing')} not as configured" />
        <span class="quiet">sent by {told.by} on {instant(told.at)}</span>
      {:else}
        <Mark state="good" word="as configured" />
        <span class="quiet">sent by {told.by} on {instant(told.at)}</span>
      {/if}
      {#if told.factory}<Mark state="warning" word="factory password" />{/if}
      {#if told.silent}<Mark state="error" word="does not answer: {told.silent}" />{/if}
      <span class="wide"></span>
      {#if plant.mayEdit}
        <button aria-expanded={doing === 'send'} onclick={() => begin('send')}>Send …</button>
      {/if}
      <button class="plain" aria-expanded={open} onclick={() => (open = !open)}
        >{open ? 'Close' : 'Compare …'}</button
      >
    </div>
    {#if open}
      {#if differ.length}
        <table aria-label="What differs">
          <thead>
            <tr><th>Where</th><th>What</th><th>In the device</th><th>Configured</th></tr>
          </thead>
          <tbody>
            {#each differ as line, n (n)}
              <tr>
                <td>{line.at || own.name}</td>
                <td>{line.label || 'as a whole'}</td>
                <td class="mono">{line.before || '–'}</td>
                <td class="mono">{line.now || '–'}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      {:else}
        <p class="quiet">Device and configuration are alike.</p>
      {/if}
      {#if plant.mayEdit}
        <div class="row">
          {#if told.state === 'sent' && differ.length}
            <button disabled={!!told.silent} onclick={() => void take()}
              >Take over what is in the device</button
            >
          {/if}
          <button
            class="plain"
            aria-expanded={doing === 'password'}
            onclick={() => begin('password')}>Another password …</button
          >
          <button class="plain" aria-expanded={doing === 'reset'} onclick={() => begin('reset')}
            >Reset it …</button
          >
        </div>
      {/if}
    {/if}
    {#if doing}
      {#key doing}<AtDevice
          work={device}
          {told}
          {doing}
          name={own.name}
          onleave={() => (doing = '')}
        />{/key}
    {/if}
  </section>
{/if}

<style>
  section {
    border-bottom: 1px solid var(--rule);
    padding-bottom: var(--s3);
    margin-bottom: var(--s4);
  }
  .row {
    align-items: center;
    flex-wrap: wrap;
  }
  .label {
    color: var(--ink-2);
  }
  table {
    margin: var(--s3) 0;
  }
  th,
  td {
    padding: 1px var(--s5) 1px 0;
    text-align: left;
  }
</style>
