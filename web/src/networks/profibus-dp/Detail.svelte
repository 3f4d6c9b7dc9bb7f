<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import Records from './Records.svelte';

  /** What a station gets at its start, octet by octet: whose each is, and which setting made it. */
  let { plant, row }: { plant: PlantStore; network: string; row: string } = $props();

  type Group = PartResult<'profibus.octets'>['parameters'][number];
  type Parameter = Group['parameters'][number];

  const told = $derived(
    plant.row('stations', row) ? plant.part('profibus.octets', row) : undefined,
  );
  let over = $state('');
  const slots = $derived([
    { slot: 0, label: 'the station itself' },
    ...(told?.configuration ?? []).map((group, n) => ({ slot: n + 1, label: group.label })),
  ]);

  const key = (group: Group, parameter: Parameter) =>
    `${group.label} ${parameter.field} ${parameter.first}`;
  const within = (parameter: Parameter, n: number) =>
    n >= parameter.first && n < parameter.first + parameter.octets;
  const lit = (group: Group, n: number) =>
    group.parameters.some((p) => within(p, n) && key(group, p) === over);
  const made = (group: Group, n: number) => group.parameters.some((p) => within(p, n));
  const bits = (p: Parameter) =>
    p.bits % 8 === 0 && !p.bit
      ? ''
      : p.bits === 1
        ? `, bit ${p.bit}`
        : `, bits ${p.bit}–${p.bit + p.bits - 1}`;
  const count = $derived(
    told?.parameters.reduce((sum, group) => sum + group.octets.length, 0) ?? 0,
  );
</script>

{#if told}
  <section aria-label="Written at its start">
    <p class="quiet">
      First its parameters, <span class="mono">{count}</span> octets; its watchdog is
      {told.watchdog_ms ? `${shown(told.watchdog_ms)} ms` : 'off'}
    </p>
    <div class="groups">
      {#each told.parameters as group (group.row + group.label)}
        <div class="group">
          <span class="quiet head">{group.label}</span>
          <span class="octets mono">
            {#each group.octets as octet, n (n)}<span
                class:made={made(group, n)}
                class:lit={lit(group, n)}>{octet}</span
              >{/each}
          </span>
          <ul>
            {#each group.parameters as p (key(group, p))}
              <li
                class:lit={over === key(group, p)}
                onpointerenter={() => (over = key(group, p))}
                onpointerleave={() => (over = '')}
              >
                <span class="mono at">{p.first}{bits(p)}</span>
                {p.label} <strong>{p.shown}</strong>
              </li>
            {/each}
          </ul>
        </div>
      {/each}
    </div>
    <p class="quiet">Then its configuration, which it compares with what is plugged</p>
    <div class="cfg">
      {#each told.configuration as group (group.row + group.label)}
        <span class="module"
          ><span class="octets mono"
            >{#each group.octets as octet, n (n)}<span class="made">{octet}</span>{/each}</span
          ><span class="quiet">{group.label}</span></span
        >
      {:else}
        <span class="quiet">no module</span>
      {/each}
    </div>
    {#if told.records}
      {#key row}<Records {plant} {row} {slots} />{/key}
    {/if}
  </section>
{/if}

<style>
  section {
    margin: var(--s5) 0;
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
    font-size: var(--f-note);
  }
  p {
    margin: 0 0 var(--s2);
  }
  .groups {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
    gap: var(--s4) var(--s6);
    margin-bottom: var(--s4);
  }
  .group {
    display: flex;
    flex-direction: column;
    gap: var(--s2);
    min-width: 0;
  }
  .head {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .octets {
    display: flex;
    flex-wrap: wrap;
    font-size: var(--f-small);
  }
  .octets span {
    padding: 0 var(--s2);
    border: 1px solid var(--rule);
    margin-right: -1px;
    color: var(--ink-2);
  }
  .octets .made {
    background: var(--leaf);
    color: var(--ink);
  }
  .octets .lit {
    background: var(--heather-tint);
    border-color: var(--heather);
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li.lit {
    background: var(--heather-tint);
  }
  .at {
    font-size: var(--f-tiny);
    color: var(--ink-2);
  }
  .cfg {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s5);
  }
  .module {
    display: flex;
    flex-direction: column;
    gap: var(--s1);
  }
</style>
