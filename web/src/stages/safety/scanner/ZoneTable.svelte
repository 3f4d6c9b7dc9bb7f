<script lang="ts">
  import Mark from '../../../kit/Mark.svelte';
  import { shown } from '../../../kit/numbers';
  import type { ScannerWork } from './scannerWork.svelte';
  import { asPolygon, withCorner, type Point, type Shape } from './shapes';

  /** Zones by letter, and the one that is chosen by its numbers. */
  let { work }: { work: ScannerWork } = $props();

  const plant = $derived(work.plant);
  const at = $derived<Point>(work.told ? [work.told.at[0]!, work.told.at[1]!] : [0, 0]);
  const shape = $derived(work.zone ? work.drawn(work.zone) : undefined);
  let margin = $state('100');
  const KINDS = { polygon: 'by points', sector: 'sector', rectangle: 'rectangle' };
  const FIELDS: Record<string, [string, string][]> = {
    sector: [
      ['from', 'From, °'],
      ['to', 'to, °'],
      ['radius', 'Radius, mm'],
    ],
    rectangle: [
      ['x', 'Left x'],
      ['y', 'Lower y'],
      ['width', 'Width, mm'],
      ['depth', 'Depth, mm'],
    ],
  };
  const used = (zone: string) =>
    work.situations.filter((one) =>
      plant.list('zone_uses', 'situation', one.id).some((use) => use.zone === zone),
    );

  function set(change: Record<string, number>) {
    if (work.zone && shape) void work.draw(work.zone.id, { ...shape, ...change } as Shape);
  }
  function corner(n: number, axis: 0 | 1, value: string) {
    if (!work.zone || shape?.kind !== 'polygon' || value.trim() === '') return;
    const points = shape.points.map((point, i): Point => {
      if (i !== n) return point;
      return axis ? [point[0], Number(value)] : [Number(value), point[1]];
    });
    if (Number.isFinite(Number(value))) void work.draw(work.zone.id, { kind: 'polygon', points });
  }
  const add = (zone: 'protective' | 'warning') =>
    void work.add(
      { kind: 'add-zone', scanner: work.current?.id ?? '', zone },
      `Add a ${zone} zone`,
    );
  const trace = () => {
    const zone = work.zone;
    if (!zone || !work.told) return;
    void work.edit(
      {
        kind: 'trace-zone',
        zone: zone.id,
        margin_mm: Number(margin) || 0,
        reach_mm: work.told.range,
      },
      `Trace zone ${zone.letter} along its surroundings`,
    );
  };
</script>

<div class="sides">
  <table aria-label="Zones">
    <thead
      ><tr><th>Zone</th><th>Kind</th><th>Drawn</th><th>In</th><th class="number">Lost</th></tr
      ></thead
    >
    <tbody>
      {#each work.zones as zone (zone.id)}
        {@const told = work.result('zone.told', zone.id)}
        <tr class:current={zone.id === work.zone?.id}>
          <td
            ><button
              class="plain"
              aria-label="Draw zone {zone.letter}"
              aria-pressed={zone.id === work.zone?.id}
              onclick={() => work.open(zone.id)}>{zone.letter}</button
            ></td
          >
          <td>{zone.kind}</td>
          <td>{KINDS[(work.drawn(zone)?.kind ?? 'polygon') as keyof typeof KINDS]}</td>
          <td class="quiet"
            >{used(zone.id)
              .map((one) => one.name)
              .join(', ') || '–'}</td
          >
          <td class="number mono"
            >{#if told?.problem}<Mark
                state="error"
                word={told.problem}
              />{:else if told?.lost_mm2}{shown(told.lost_mm2 / 1e6, 3)} m²{:else}–{/if}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
  {#if work.zone && shape}
    <section aria-label="Zone {work.zone.letter} by numbers">
      <div class="row">
        <strong>Zone {work.zone.letter}</strong>
        <span class="quiet">{KINDS[shape.kind]}</span>
        <span class="wide"></span>
        {#if plant.mayEdit && shape.kind !== 'polygon'}
          <button
            class="plain"
            onclick={() => work.zone && void work.draw(work.zone.id, asPolygon(shape, at))}
            >Make it points</button
          >
        {/if}
        {#if plant.mayEdit}
          <button
            class="plain"
            onclick={() => work.zone && void work.remove(work.zone.id, `zone ${work.zone.letter}`)}
            >Remove</button
          >
        {/if}
      </div>
      {#if shape.kind === 'polygon'}
        <ol>
          {#each shape.points as point, n (n)}
            <li>
              <input
                class="mono"
                aria-label="x of corner {n + 1}"
                disabled={!plant.mayEdit}
                value={Math.round(point[0])}
                onchange={(event) => corner(n, 0, event.currentTarget.value)}
              />
              <input
                class="mono"
                aria-label="y of corner {n + 1}"
                disabled={!plant.mayEdit}
                value={Math.round(point[1])}
                onchange={(event) => corner(n, 1, event.currentTarget.value)}
              />
              {#if plant.mayEdit}
                <button
                  class="plain"
                  aria-label="Another corner behind {n + 1}"
                  onclick={() => work.zone && void work.draw(work.zone.id, withCorner(shape, n))}
                  >+</button
                >
                <button
                  class="plain"
                  aria-label="Without corner {n + 1}"
                  disabled={shape.points.length < 4}
                  onclick={() =>
                    work.zone &&
                    void work.draw(work.zone.id, {
                      kind: 'polygon',
                      points: shape.points.toSpliced(n, 1),
                    })}>−</button
                >
              {/if}
            </li>
          {/each}
        </ol>
      {:else}
        <div class="numbers">
          {#each FIELDS[shape.kind] ?? [] as [key, label] (key)}
            <label
              >{label}<input
                class="mono"
                disabled={!plant.mayEdit}
                value={(shape as unknown as Record<string, number>)[key]}
                onchange={(event) => {
                  const value = Number(event.currentTarget.value);
                  if (Number.isFinite(value)) set({ [key]: value });
                }}
              /></label
            >
          {/each}
        </div>
      {/if}
      {#if plant.mayEdit}
        <div class="row trace">
          <button class="plain" onclick={trace}>Trace the surroundings</button>
          <label
            >less <input
              class="mono"
              aria-label="Margin, mm"
              inputmode="numeric"
              bind:value={margin}
            /> mm</label
          >
        </div>
      {/if}
    </section>
  {:else}
    <p class="quiet">Choose a zone to draw it: by its corners in the plan, or by numbers here.</p>
  {/if}
</div>
{#if plant.mayEdit && work.current}
  <button class="plain" onclick={() => add('protective')}>Add a protective zone</button>
  <button class="plain" onclick={() => add('warning')}>Add a warning zone</button>
{/if}

<style>
  .sides {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 330px;
    gap: var(--s6);
    align-items: start;
  }
  th,
  td {
    text-align: left;
    padding: 1px var(--s3);
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  tr.current td {
    background: var(--heather-tint);
  }
  ol {
    margin: var(--s2) 0;
    padding-left: var(--s7);
    max-height: 190px;
    overflow: auto;
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  li input {
    width: 84px;
    text-align: right;
    color: var(--ink);
  }
  .numbers {
    display: grid;
    grid-template-columns: repeat(4, minmax(0, 1fr));
    gap: var(--s3);
  }
  .numbers label {
    display: grid;
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  .numbers input {
    width: 100%;
    text-align: right;
    color: var(--ink);
  }
  .trace button {
    white-space: nowrap;
  }
  .trace label {
    white-space: nowrap;
  }
  .trace input {
    width: 52px;
    text-align: right;
  }
  .trace label {
    font-size: var(--f-note);
    color: var(--ink-2);
  }
  @container (max-width: 700px) {
    .sides {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
