<script lang="ts">
  import NameIt from '../../../kit/NameIt.svelte';
  import type { PlantStore } from '../../../plant/store.svelte';
  import type { Here, ImageWork, Stretch } from './imageWork.svelte';

  /** One octet by every unit: its bits, itself, its word, its double word; what is linked by each, what they say now. */
  let {
    plant,
    work,
    here,
    stretch,
  }: { plant: PlantStore; work: ImageWork; here: Here; stretch: Stretch } = $props();

  const TYPES = { bit: 'BOOL', octet: 'BYTE', word: 'WORD', 'double word': 'DWORD' } as const;
  const running = $derived(here.now !== '');
  // The highest bit first, as a number is written.
  const views = $derived([
    ...here.views.filter(({ view }) => view.unit === 'bit').reverse(),
    ...here.views.filter(({ view }) => view.unit !== 'bit'),
  ]);
  type View = Here['views'][number]['view'];
  const span = (view: View) => {
    const first = Math.floor(view.bit / 8);
    return view.bits > 8 ? `${first}–${first + view.bits / 8 - 1}` : `${first}`;
  };
  const SHOWN = 3;

  /** What octets say, without what is the same again: the bits stand above, and only what is negative has a sign. */
  function told(now: Here['views'][number]['now']) {
    const seen: string[] = [];
    return now
      .filter(({ kind, text }) => kind !== 'bits' && !seen.includes(text) && seen.push(text))
      .map((one) => ({ ...one, named: one.kind !== 'hex' && one.kind !== 'BOOL' }));
  }

  /** What else has bits of it: what lies within, what it is a part of, what lies across its end. */
  function shared(view: View): string[] {
    const end = view.bit + view.bits;
    const within = view.across.filter((v) => v.bit >= view.bit && v.bit + v.bits <= end);
    const around = view.across.filter((v) => v.bit <= view.bit && v.bit + v.bits >= end);
    const across = view.across.filter((v) => !within.includes(v) && !around.includes(v));
    const named = (values: View['across']) =>
      values
        .slice(0, SHOWN)
        .map((v) => (v.bits > 1 ? `${v.name} (${v.type})` : v.name))
        .join(', ') + (values.length > SHOWN ? ` and ${values.length - SHOWN} more` : '');
    return (
      [
        ['part of', around],
        ['across', across],
        ['holds', within],
      ] as const
    )
      .filter(([, values]) => values.length)
      .map(([word, values]) => `${word} ${named(values)}`);
  }
</script>

<section aria-label="Octet {work.octet}">
  {#if !here.views.length}
    <p class="quiet">Octet {work.octet} is padding behind {stretch.label}: it carries nothing.</p>
  {:else}
    <h2>
      Octet {work.octet}
      <span class="quiet">{stretch.label}, octet {work.octet - stretch.offset} of it</span>
    </h2>
    <table>
      <thead>
        <tr>
          <th>Address</th>
          <th>Called</th>
          {#if running}<th>Now</th>{/if}
          <th>Signal</th>
        </tr>
      </thead>
      <tbody>
        {#each views as { view, now } (`${view.unit} ${view.bit}`)}
          <tr class:wide={view.bits > 1}>
            <td class="mono">{view.address}</td>
            <td>
              {#if view.unit !== 'bit'}{view.unit}
                <span class="quiet">{span(view)}</span>
                {#if view.label && !view.label.startsWith('octet ')}<span class="quiet"
                    >· {view.label}</span
                  >{/if}
              {:else}{view.label || view.key || 'bit ' + (view.bit % 8)}{/if}
            </td>
            {#if running}<td class="mono now">
                {#each told(now) as one (one.kind)}
                  <span class="said"
                    >{#if one.named}<span class="quiet kind">{one.kind}</span>{/if}{one.text}</span
                  >
                {/each}
              </td>{/if}
            <td>
              {#each view.values as value (value.link)}
                <button
                  class="plain mono name"
                  class:here={plant.selection.includes(value.signal)}
                  onclick={() => plant.select(value.signal)}
                  >{value.name}
                  <span class="quiet"
                    >{value.type}{value.scaled ? ' scaled' : ''}{value.access === 'writes'
                      ? ', written'
                      : ''}</span
                  ></button
                >
              {:else}
                {#if view.key}
                  <NameIt
                    {plant}
                    controller={work.controller?.id}
                    place={view.holder}
                    key={view.key}
                    type={TYPES[view.unit]}
                    label={view.address}
                  />
                {/if}
              {/each}
              {#each shared(view) as text (text)}<span class="quiet across">{text}</span>{/each}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</section>

<style>
  section {
    flex: none;
    border-top: 1px solid var(--rule-2);
    padding-top: var(--s3);
  }
  h2 {
    margin: 0 0 var(--s2);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  h2 .quiet {
    font: var(--f-note) var(--text);
    margin-left: var(--s3);
  }
  table {
    width: 100%;
    table-layout: fixed;
  }
  th {
    text-align: left;
    font: var(--f-note) var(--text);
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  th:first-child {
    width: 76px;
  }
  th:nth-child(3):not(:last-child) {
    width: 140px;
  }
  th:last-child {
    width: 39%;
  }
  td {
    height: 24px;
    padding: 0 var(--s4) 0 0;
    border-bottom: 1px solid var(--rule);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .kind {
    margin-right: var(--s2);
  }
  .wide td {
    background: var(--leaf);
  }
  .name {
    height: 22px;
    padding: 0;
    border: 0;
    font-size: var(--f-note);
    text-align: left;
  }
  .name.here {
    background: var(--heather-tint);
  }
  .across {
    margin-left: var(--s3);
    font-size: var(--f-small);
  }
  .now {
    font-size: var(--f-small);
    white-space: normal;
  }
  .said {
    display: inline-block;
    margin-right: var(--s4);
  }
  .wide td {
    vertical-align: top;
    line-height: 23px;
  }
  .wide .across {
    display: block;
    margin: 0 0 var(--s2);
    line-height: 1.3;
    white-space: normal;
  }
  .wide .now {
    line-height: 1.5;
    padding: var(--s2) 0;
  }
</style>
