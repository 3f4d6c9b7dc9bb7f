<script lang="ts">
  import type { Schemas } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import OverNetwork from './OverNetwork.svelte';
  import { router } from '../../shell/router.svelte';

  /** One difference: what it is, and what can be done about it, by which hand. */
  let {
    plant,
    difference,
    found,
    at,
    of,
    network,
    ondeed,
    onchanged,
    onignore,
    onwalk,
  }: {
    plant: PlantStore;
    difference: Schemas['Difference'];
    found: Schemas['Found'] | null;
    at: number;
    of: number;
    network: string;
    ondeed: (deed: Schemas['OverNetwork']) => void;
    onchanged: () => void;
    onignore: (key: string) => void;
    onwalk: (step: number) => void;
  } = $props();

  type Act = Schemas['Act'];
  const name = $derived(plant.row('stations', difference.station)?.name ?? found?.name ?? '');
  const HANDS: Record<string, string> = {
    'in the plant': 'changes what is configured; download again',
    'over the network': 'set in the device, which keeps it',
    'by hand': 'done at the device itself',
  };

  async function go(act: Act) {
    if (act.deed) ondeed(act.deed);
    else if (act.look) {
      const network = plant.row('stations', act.look)?.network;
      router.go(`/p/${plant.key}/networks/${network}/${act.look}`);
    } else if (act.edit)
      try {
        await plant.edit(act.edit, act.label);
      } catch {
        return; // Told by the plant; nothing was done at a device.
      }
    if (act.hand !== 'in the plant') onchanged();
  }
</script>

<section class="panel" aria-label="The difference">
  <header class="row">
    <h2>{name || difference.address}</h2>
    <p>{difference.says}</p>
    <span class="wide"></span>
    <button class="plain" onclick={() => onwalk(-1)} disabled={of < 2} title="The one before (p)"
      >◂</button
    >
    <span class="mono quiet">{at} of {of}</span>
    <button class="plain" onclick={() => onwalk(1)} disabled={of < 2} title="The next (n)">▸</button
    >
  </header>
  {#if found}
    <p class="quiet mono told">
      {[
        found.how,
        ...found.numbers.map((number) => `${number.label} ${number.value}`),
        found.serial && `serial ${found.serial}`,
      ]
        .filter(Boolean)
        .join(' · ')}
    </p>
  {/if}
  {#if difference.modules?.length}
    <div class="modules">
      <span class="names quiet"><span>configured</span><span>found</span></span>
      {#each difference.modules as tie, n (n)}
        <span class="pair" class:differs={!tie.same}>
          <span class:none={!tie.configured}>{tie.configured || 'none'}</span>
          <span class:none={!tie.found}>{tie.found || 'none'}</span>
        </span>
      {/each}
    </div>
  {/if}
  <ul>
    {#each difference.acts as act (act.label)}
      <li>
        <span class="hand">{act.hand}</span>
        {#if act.edit || act.deed || act.look}
          <button disabled={!plant.mayEdit} title={HANDS[act.hand]} onclick={() => go(act)}
            >{act.label}</button
          >
        {:else}<span>{act.label}</span>{/if}
        {#if act.loses.length}
          <p class="loses">
            <span class="hand"></span>
            <Mark
              state="warning"
              word="{plural(act.loses.length, 'signal')} would lead nowhere: {act.loses
                .slice(0, 4)
                .join(', ')}{act.loses.length > 4 ? ` and ${act.loses.length - 4} more` : ''}"
            />
          </p>
        {/if}
      </li>
    {/each}
    {#if difference.unread}
      <li>
        <span class="hand">in the plant</span>
        <button onclick={() => router.go(`/p/${plant.key}/hardware/catalogue`)}
          >Read its description file …</button
        >
        <span class="quiet">no file of this plant names {difference.unread}</span>
      </li>
    {/if}
    {#if found?.mac && difference.kind !== 'agrees'}
      <li>
        <span class="hand"></span>
        <details>
          <summary>More over the network</summary>
          <OverNetwork {plant} {network} at={found.mac} />
        </details>
      </li>
    {/if}
    <li>
      <span class="hand"></span>
      <button class="plain" onclick={() => onignore(difference.key)}>Leave it aside</button>
    </li>
  </ul>
</section>

<style>
  .panel {
    border-left: 3px solid var(--heather);
    padding: var(--s1) 0 var(--s1) var(--s5);
    margin-top: var(--s4);
  }
  header {
    gap: var(--s4);
  }
  h2 {
    margin: 0;
    white-space: nowrap;
  }
  header p {
    margin: 0;
  }
  .told {
    margin: var(--s1) 0;
    font-size: var(--f-small);
  }
  ul {
    list-style: none;
    margin: var(--s3) 0;
    padding: 0;
    display: grid;
    gap: var(--s2);
  }
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 0 var(--s4);
  }
  .loses {
    display: flex;
    gap: var(--s4);
    width: 100%;
    margin: 0 0 var(--s2);
    font-size: var(--f-note);
  }
  .hand {
    width: 118px;
    flex: none;
    color: var(--ink-2);
    font-size: var(--f-note);
    text-align: right;
  }
  .modules {
    display: flex;
    gap: var(--s2);
    overflow-x: auto;
    margin: var(--s3) 0;
    font-size: var(--f-note);
  }
  .names,
  .pair {
    display: grid;
    gap: var(--s2);
    flex: none;
  }
  .names > span,
  .pair > span {
    padding: var(--s1) var(--s3);
    border: 1px solid transparent;
  }
  .pair > span {
    border-color: var(--rule-2);
    background: var(--leaf);
    min-width: 56px;
  }
  .pair.differs > span {
    border-color: var(--bracken);
  }
  .pair > .none {
    border-style: dashed;
    background: none;
    color: var(--ink-3);
  }
  header .mono {
    white-space: nowrap;
  }
</style>
