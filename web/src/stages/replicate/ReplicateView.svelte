<script lang="ts">
  import { got, http, Problem, type Edit, type Schemas } from '../../api/client';
  import { focused } from '../../kit/focus';
  import { inked } from '../../kit/inked';
  import { plural, shown } from '../../kit/numbers';
  import { roomSaid } from '../../kit/room';
  import type { PlantStore } from '../../plant/store.svelte';
  import { pathTo } from '../../shell/places';
  import { router } from '../../shell/router.svelte';
  import Course from './Course.svelte';

  /** n more of a thing with all that hangs on it: what each copy would be called, and where limits run out. */
  let { plant, source }: { plant: PlantStore; source: string } = $props();

  type Replicate = Extract<Edit, { kind: 'replicate' }>;
  let count = $state(3);
  let pattern = $state('');
  let start = $state('');
  let names = $state.raw<Record<string, string>>({});
  let addresses = $state.raw<Record<string, string>>({});
  let leftOut = $state.raw<string[]>([]);
  let plan = $state.raw<Schemas['ReplicasOut'] | null>(null);
  let room = $state.raw<Schemas['RoomOut'] | null>(null);
  let problem = $state('');
  let editing = $state<string | null>(null);
  let asked = 0;

  const edit = $derived<Replicate>({
    kind: 'replicate',
    id: source,
    count: Math.max(1, Math.min(64, Math.floor(count) || 1)),
    pattern,
    start: start.trim() === '' ? null : Math.max(0, Number(start) || 0),
    step: 1,
    names,
    addresses,
    leave_out: leftOut,
  });

  $effect(() => {
    void plant.revision;
    const body = edit;
    const number = ++asked;
    http
      .POST('/api/plants/{key}/replicas', { params: { path: { key: plant.key } }, body })
      .then((answer) => {
        if (number !== asked) return;
        plan = got(answer);
        problem = '';
      })
      .catch((error: unknown) => {
        if (number === asked)
          problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
      });
    void plant.tryOut(body, `Replicate ${plural(body.count, 'time')}`);
    return () => plant.endPreview();
  });

  $effect(() => {
    void plant.revision;
    const path = { params: { path: { key: plant.key, row_id: source } } };
    http
      .GET('/api/plants/{key}/room/{row_id}', path)
      .then((answer) => (room = answer.response.ok ? got(answer) : null))
      .catch(() => {});
  });

  const collisions = $derived(
    plan?.rows.flatMap((row) => row.cells.filter((cell) => cell.owner)).length ?? 0,
  );
  const title = $derived(plan?.sources[0]?.label ?? source);
  const runsOut = $derived(
    [...(plan?.courses ?? [])]
      .filter((c) => c.runs_out !== null)
      .sort((a, b) => (a.runs_out ?? 0) - (b.runs_out ?? 0))[0],
  );
  const copies = $derived(Array.from({ length: edit.count }, (_, n) => n + 1));

  function override(row: Schemas['PlanRowOut'], copy: number, text: string) {
    const key = `${row.source}.${copy}`;
    if (row.field === 'address') addresses = { ...addresses, [key]: text };
    else names = { ...names, [key]: text };
    editing = null;
  }

  function toggle(id: string) {
    leftOut = leftOut.includes(id) ? leftOut.filter((x) => x !== id) : [...leftOut, id];
  }

  async function make() {
    if (collisions) return;
    const onward = router.onward();
    const answer = await plant.edit(edit, `Replicate ${title}`).catch(() => null);
    if (answer) onward(pathTo(plant, source));
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'Enter' && !(event.target as HTMLElement).matches('button')) void make();
    else if (event.key === 'Escape') router.go(pathTo(plant, source));
    else return;
    event.preventDefault();
  }

  const KINDS: Record<string, string> = {
    controllers: 'controller',
    rails: 'rail',
    modules: 'module',
    networks: 'network',
    stations: 'station',
    signals: 'signal',
    ports: 'port',
  };
</script>

<svelte:window onkeydown={key} />

<header class="row">
  <h1>Replicate {title}</h1>
  <span class="quiet"
    >{plan ? `with ${plural(plan.sources.length - 1, 'thing')} that hang on it` : ''}</span
  >
  <span class="wide"></span>
  <button onclick={() => router.go(pathTo(plant, source))}>Cancel <kbd>Esc</kbd></button>
  <button
    class="primary"
    disabled={!plan || collisions > 0 || !!problem}
    onclick={() => void make()}>Make {plural(edit.count, 'copy', 'copies')}</button
  >
</header>
<div class="row how">
  <label>Copies <input type="number" min="1" max="64" bind:value={count} use:focused /></label>
  <label
    >Names <input
      bind:value={pattern}
      placeholder={plan?.rows.find((r) => r.source === source && r.field === 'name')?.original
        ? 'count on by themselves; or Skid{n}'
        : 'it has no name of its own'}
      size="30"
    /></label
  >
  <label>from <input bind:value={start} size="4" placeholder="next" /></label>
  <span class="state" class:bad={collisions > 0}
    >{collisions
      ? `${plural(collisions, 'name')} taken: type another into the crossed cells`
      : runsOut
        ? ''
        : 'every name is free'}</span
  >
  {#if runsOut}<span class="bad">copy {runsOut.runs_out}: {runsOut.label}</span>{/if}
  <span class="wide"></span>
  {#if room}
    <span class="quiet">{roomSaid(room)}</span>
  {/if}
</div>
{#if problem}<p class="bad" role="alert">{problem}</p>{/if}

{#if plan}
  <div class="matrix">
    <table>
      <thead>
        <tr>
          <th>Original</th><th><span class="unseen">Becomes</span></th>
          {#each copies as copy (copy)}<th>copy {copy}</th>{/each}
        </tr>
      </thead>
      <tbody>
        {#each plan.rows as row (row.source + row.field)}
          <tr>
            <td class="mono"
              ><span class="quiet kind"
                >{KINDS[row.table] ?? row.table}{row.field === 'name' ? '' : `, ${row.field}`}</span
              >
              {row.original}</td
            >
            <td
              >{#if row.source !== source && row.field === 'name'}<button
                  class="plain"
                  title="Leave it out of every copy"
                  onclick={() => toggle(row.source)}>leave out</button
                >{/if}</td
            >
            {#each row.cells as cell, n (n)}
              {@const parts = inked(row.original, cell.text)}
              {@const at = `${row.source}.${row.field}.${n + 1}`}
              <td
                class="mono cell"
                class:taken={cell.owner}
                title={cell.owner ? `taken by ${cell.owner}` : ''}
              >
                {#if editing === at}
                  <input
                    use:focused
                    value={cell.text}
                    aria-label="{row.original}, copy {n + 1}"
                    onblur={(event) => override(row, n + 1, event.currentTarget.value)}
                    onkeydown={(event) => {
                      if (event.key === 'Enter') override(row, n + 1, event.currentTarget.value);
                      else if (event.key === 'Escape') editing = null;
                      event.stopPropagation();
                    }}
                  />
                {:else}
                  <button
                    class="text"
                    disabled={row.field === 'designation'}
                    onclick={() => (editing = at)}
                    ><span class="same">{parts[0]}</span>{parts[1]}<span class="same"
                      >{parts[2]}</span
                    >{#if cell.owner}<span class="owner">✗ {cell.owner}</span>{/if}</button
                  >
                {/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
    {#if leftOut.length}
      <p class="quiet">
        Left out:
        {#each leftOut as id (id)}<button class="plain" onclick={() => toggle(id)}
            >{plant.row('signals', id)?.name ??
              plant.row('exchanges', id)?.name ??
              plant.row('modules', id)?.designation ??
              id} ×</button
          >{/each}
      </p>
    {/if}
  </div>
  <h2>What it takes</h2>
  <div class="courses">
    {#each plan.courses as course (course.label)}
      <Course {course} />
    {:else}
      <p class="quiet">No figure with a limit changes.</p>
    {/each}
  </div>
  {#if room?.limits.length}
    <p class="quiet">
      One more takes {room.limits
        .slice(0, 4)
        .map((l) => `${shown(l.need)}${l.unit ? ` ${l.unit}` : ''} (${l.label})`)
        .join(', ')}.
    </p>
  {/if}
{/if}

<style>
  header {
    align-items: baseline;
  }
  .how {
    flex-wrap: wrap;
    gap: var(--s3) var(--s5);
    margin: var(--s4) 0;
  }
  .how label {
    display: flex;
    gap: var(--s3);
    align-items: center;
    color: var(--ink-2);
  }
  .how input {
    color: var(--ink);
  }
  .how input[type='number'] {
    width: 58px;
  }
  .state {
    color: var(--lichen);
  }
  .bad {
    color: var(--bracken);
    font-weight: 600;
  }
  .matrix {
    overflow: auto;
    max-height: calc(100vh - 440px);
    min-height: 160px;
    border-bottom: 1px solid var(--rule);
    margin-bottom: var(--s4);
  }
  th {
    position: sticky;
    top: 0;
    background: var(--paper);
    white-space: nowrap;
  }
  td {
    white-space: nowrap;
    height: 26px;
  }
  td .plain {
    padding: 0 var(--s2);
  }
  .kind {
    display: inline-block;
    min-width: 68px;
    font: var(--f-note) var(--text);
  }
  .text {
    border: 0;
    padding: 0;
    font: inherit;
    background: none;
    color: inherit;
    font-weight: 600;
  }
  .text:disabled {
    color: inherit;
  }
  .same {
    color: var(--ink-3);
    font-weight: 400;
  }
  .taken .text {
    color: var(--bracken);
    text-decoration: line-through;
  }
  .owner {
    display: inline-block;
    margin-left: var(--s4);
    font: var(--f-small) var(--text);
    text-decoration: none;
  }
  .cell input {
    width: 150px;
    font: inherit;
  }
  .courses {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s4) var(--s7);
    margin-top: var(--s3);
  }
</style>
