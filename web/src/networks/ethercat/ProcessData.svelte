<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';
  import { ROW_BITS, choiceOf, stretchesOf, type DataWay, type Pdo } from './dataBits';

  /** What a device exchanges: each bit of it, and which PDOs are taken. */
  let { plant, ways }: { plant: PlantStore; ways: DataWay[] } = $props();

  const TITLES = { in: 'Inputs', out: 'Outputs' } as const;
  const TERMS = { in: 'TxPDO', out: 'RxPDO' } as const;
  let opened = $state('');
  let lit = $state('');
  const idOf = (pdo: Pdo) => `${pdo.row}.${pdo.key}`;
  const octets = (n: number) => `${n} octet${n === 1 ? '' : 's'}`;
  const size = (bits: number) =>
    bits % 8 ? `${bits} bit${bits === 1 ? '' : 's'}` : octets(bits / 8);
  const hex = (index: number) => index.toString(16).toUpperCase().padStart(4, '0');

  async function choose(way: DataWay, pdo: Pdo, take: boolean) {
    const values = choiceOf(way, pdo, take);
    await plant
      .edit({ kind: 'set', ids: [pdo.row], values }, `${take ? 'Take' : 'Leave out'} ${pdo.label}`)
      .catch(() => {});
  }

  function why(way: DataWay, pdo: Pdo): string {
    if (pdo.held) return pdo.held;
    if (pdo.taken) return '';
    if (pdo.against) return `not beside ${pdo.against}`;
    const rivals = way.pdos.filter((one) => one.row === pdo.row && pdo.instead.includes(one.key));
    return rivals.length ? `instead of ${rivals.map((one) => one.label).join(', ')}` : '';
  }
</script>

<section aria-label="Process data">
  {#each ways as way (way.direction)}
    {@const taken = way.pdos.filter((pdo) => pdo.taken).length}
    {@const pages = Math.ceil((8 * way.octets) / ROW_BITS)}
    <div class="way">
      <h3>
        {TITLES[way.direction]}
        <span class="quiet"
          >{octets(way.octets)}, {taken} of {way.pdos.length} {TERMS[way.direction]}</span
        >
      </h3>
      <div class="bits" style:grid-template-columns="34px repeat({ROW_BITS}, minmax(0, 1fr))">
        {#each { length: pages }, n (n)}
          <span class="octet mono quiet" style:grid-row={n + 1}>{(n * ROW_BITS) / 8}</span>
        {/each}
        {#each stretchesOf(way) as one (one.id)}
          <span
            class="stretch {one.kind}"
            class:lit={one.pdo !== '' && one.pdo === lit}
            style:grid-row={one.row + 1}
            style:grid-column="{one.first + 2} / span {one.bits}"
            title="{one.label}, {size(one.bits)}"
            >{one.bits < 4 || one.kind !== 'value' ? '' : one.begins ? one.label : '…'}</span
          >
        {/each}
      </div>
      <ul class:many={way.pdos.length > 6}>
        {#each way.pdos as pdo (idOf(pdo))}
          {@const reason = why(way, pdo)}
          <li
            class:out={!pdo.taken}
            onpointerenter={() => (lit = idOf(pdo))}
            onpointerleave={() => (lit = '')}
          >
            <label title={reason}>
              <input
                type="checkbox"
                checked={pdo.taken}
                disabled={!plant.mayEdit || pdo.held !== '' || (!pdo.taken && pdo.against !== '')}
                onchange={(event) => choose(way, pdo, event.currentTarget.checked)}
              />
              <span class="name">{pdo.label}</span>
            </label>
            {#if pdo.held}<span class="quiet" title={pdo.held}>always</span>{/if}
            {#if pdo.slot}<span class="quiet">slot {pdo.slot}</span>{/if}
            <button
              class="plain mono"
              aria-expanded={opened === idOf(pdo)}
              title="Its entries"
              onclick={() => (opened = opened === idOf(pdo) ? '' : idOf(pdo))}
              >{hex(pdo.index)}</button
            >
            <span class="quiet size">{size(pdo.bits)}</span>
            {#if reason && !pdo.held && way.pdos.length <= 6}<span class="quiet reason"
                >{reason}</span
              >{/if}
            {#if opened === idOf(pdo)}
              <ol>
                {#each pdo.entries as entry (entry.bit)}
                  <li class:padding={!entry.key}>
                    <span class="mono">{entry.key.replace('i', '') || '–'}</span>
                    {entry.label}
                    <span class="quiet">{entry.data_type} {size(entry.bits)}</span>
                  </li>
                {/each}
              </ol>
            {/if}
          </li>
        {/each}
      </ul>
    </div>
  {/each}
</section>

<style>
  section {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(340px, 1fr));
    gap: var(--s6);
    margin: var(--s5) 0;
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
    font-size: var(--f-note);
  }
  h3 {
    margin: 0 0 var(--s3);
  }
  h3 span {
    font-weight: 400;
    margin-left: var(--s3);
  }
  .bits {
    display: grid;
    row-gap: var(--s1);
    grid-auto-rows: 20px;
    margin-bottom: var(--s4);
  }
  .octet {
    grid-column: 1;
    font-size: var(--f-small);
    align-self: center;
  }
  .stretch {
    box-shadow: inset 0 0 0 1px var(--rule-2);
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
    font-size: var(--f-small);
    line-height: 20px;
    padding: 0 var(--s1);
    min-width: 0;
  }
  .value {
    background: var(--leaf);
  }
  .padding,
  .rest {
    background: repeating-linear-gradient(135deg, var(--rule) 0 1px, transparent 1px 5px);
  }
  .rest {
    box-shadow: inset 0 0 0 1px var(--rule);
  }
  .lit {
    background: var(--lichen-tint);
  }
  ul,
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .many {
    columns: 170px;
    column-gap: var(--s5);
  }
  ul > li {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 0 var(--s3);
    break-inside: avoid;
    min-height: 24px;
  }
  label {
    display: flex;
    gap: var(--s2);
    align-items: baseline;
    min-width: 0;
    flex: 1;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .out .name {
    color: var(--ink-2);
  }
  button {
    height: 20px;
    padding: 0;
    border: 0;
    font-size: var(--f-small);
    font-weight: 400;
  }
  .size {
    min-width: 46px;
    text-align: right;
  }
  .reason {
    flex-basis: 100%;
    padding-left: var(--s6);
  }
  ol {
    flex-basis: 100%;
    padding: 0 0 var(--s2) var(--s6);
  }
  ol li {
    display: grid;
    grid-template-columns: 62px 1fr auto;
    gap: var(--s3);
  }
  .padding {
    color: var(--ink-2);
  }
</style>
