<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { AxisWork } from './axisWork.svelte';
  import LinkSymbol from './LinkSymbol.svelte';

  /** The chain from motor to load on one shaft: over each link what it is, under it what a motor turn has become. */
  let { work }: { work: AxisWork } = $props();
  const plant = $derived(work.plant);
  const told = $derived(work.axis ? plant.part('axis.chain', work.axis.id) : undefined);
  let list = $state<HTMLElement>();
  let kind = $state('');
  const kinds = $derived(plant.catalogue.link_kinds);

  /** kg m² in what makes of it a number one can read. */
  function inertia(value: number): string {
    return value >= 0.01 ? `${shown(value, 3)} kg m²` : `${shown(value * 1e4, 3)} kg cm²`;
  }

  async function add() {
    const link = kind as 'gear';
    kind = '';
    if (!link || !work.axis) return;
    const edit = {
      kind: 'add-chain-link' as const,
      axis: work.axis.id,
      link,
      before: null,
      tag: '$link',
    };
    await work.add(edit, `Add ${kinds[link]?.toLowerCase()} to ${work.axis.name}`, '$link');
  }

  function key(event: KeyboardEvent) {
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!by || (event.target as HTMLElement).matches('select')) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.altKey) {
      if (plant.mayEdit) void work.shift(by);
      return;
    }
    const links = work.links;
    const next = links[links.findIndex((link) => link.id === work.chosen?.id) + by];
    if (!next || !work.axis) return;
    work.open(work.axis.id, next.id);
    list?.querySelectorAll<HTMLElement>('button')[links.indexOf(next)]?.focus();
  }
  const offered = $derived(
    Object.keys(kinds).filter(
      (link) =>
        (link !== 'motor' && link !== 'load') || !work.links.some((each) => each.kind === link),
    ),
  );
</script>

{#if told}
  <section aria-label="Chain">
    <div class="row head">
      <h2>Chain</h2>
      <span class="quiet">one motor turn, link by link</span>
      <span class="wide"></span>
      {#if plant.mayEdit}
        <select aria-label="Add a link" bind:value={kind} onchange={() => void add()}>
          <option value="">Add a link …</option>
          {#each offered as link (link)}<option value={link}>{kinds[link]}</option>{/each}
        </select>
      {/if}
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <ol bind:this={list} onkeydown={key} style:--links={told.links.length}>
      {#each told.links as link (link.link)}
        <li class:current={link.link === work.chosen?.id} class:wrong={link.problem !== ''}>
          <button
            class="plain"
            aria-pressed={link.link === work.chosen?.id}
            onclick={() => work.axis && work.open(work.axis.id, link.link)}
          >
            <strong>{link.says}</strong>
            <span class="drawn"><LinkSymbol kind={link.kind} /></span>
            <span class="mono becomes">{link.problem ? link.problem : link.becomes || '–'}</span>
            <span class="quiet"
              >{link.efficiency !== null ? `η ${shown(link.efficiency * 100)} %` : ' '}</span
            >
            <span class="quiet"
              >{link.inertia !== null ? `${inertia(link.inertia)} at the motor` : ' '}</span
            >
            <span class="quiet"
              >{link.play !== null ? `play ${shown(link.play, 3)} ${told.unit}` : ' '}</span
            >
          </button>
        </li>
      {/each}
    </ol>
  </section>
{/if}

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
    margin-bottom: var(--s2);
  }
  ol {
    display: grid;
    grid-template-columns: repeat(var(--links), minmax(96px, 1fr));
    list-style: none;
    margin: 0;
    padding: 0;
    overflow-x: auto;
  }
  button {
    display: grid;
    width: 100%;
    height: 100%;
    align-content: start;
    text-align: left;
    padding: var(--s3) 0;
    font-weight: 400;
    font-size: var(--f-note);
    line-height: 1.35;
  }
  button > :not(.drawn) {
    padding: 0 var(--s3);
  }
  /* The shaft goes on to the next link. */
  .drawn {
    background: linear-gradient(var(--ink-3), var(--ink-3)) no-repeat left 20.5px / 100% 3px;
    margin: var(--s1) 0;
  }
  li:last-child .drawn {
    background-size: 24px 3px;
  }
  li:first-child .drawn {
    background-position: 24px 20.5px;
  }
  .current button {
    background: var(--leaf);
    box-shadow: inset 0 -3px 0 var(--heather);
  }
  .wrong .becomes {
    color: var(--bracken);
    font-family: var(--text);
  }
  .becomes {
    border-top: 1px solid var(--rule);
    padding-top: var(--s1) !important;
  }
</style>
