<script lang="ts">
  import { got, http, type Schemas } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { revisionEdit, type Entry, type ReadFile, type Tray } from './tray.svelte';

  /** What is being read and what was found: each file as a strip to scale, its problems as marks on it. */
  let { plant, tray }: { plant: PlantStore; tray: Tray } = $props();

  let open = $state<string | null>(null);
  let at = $state(0);
  let text = $state.raw<Schemas['FileTextOut'] | null>(null);

  const files = $derived(
    tray.entries.flatMap((e) => e.results.map((r) => ({ entry: e, file: r }))),
  );
  const shown = $derived(files.find(({ file }) => file.sha256 === open)?.file);

  async function look(file: ReadFile, n: number) {
    open = file.sha256;
    at = Math.max(0, Math.min(file.problems.length - 1, n));
    const line = file.problems[at]?.line ?? 1;
    const path = { key: plant.key, sha256: file.sha256 };
    const query = { first: Math.max(line - 4, 1), count: 9 };
    const answer = await http
      .GET('/api/plants/{key}/files/{sha256}', { params: { path, query } })
      .catch(() => null);
    text = answer?.response.ok ? got(answer) : null;
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea')) return;
    const by = event.key === ']' ? 1 : event.key === '[' ? -1 : 0;
    const file = shown ?? files.find(({ file: f }) => f.problems.length)?.file;
    if (!by || !file) return;
    event.preventDefault();
    void look(file, shown ? at + by : 0);
  }

  const waiting = (e: Entry) =>
    e.state === 'waiting' ? 'waiting' : e.state === 'reading' ? 'reading …' : e.problem;
  const STATES = { new: 'new here', same: 'is here already', revision: 'another revision' };
  const worst = (file: ReadFile) =>
    file.refused || file.problems.some((p) => p.severity === 'error')
      ? 'error'
      : file.problems.length
        ? 'warning'
        : null;

  async function keepBoth(device: Schemas['ReadDeviceOut'], stations: string[]) {
    const label = stations.length
      ? `Move ${plural(stations.length, 'station')} to ${device.name} ${device.revisions.at(-1) ?? ''}`
      : `Keep ${device.name} ${device.revisions.at(-1) ?? ''} as well`;
    await plant.edit(revisionEdit(device, stations), label).catch(() => {});
  }

  const here = (device: Schemas['ReadDeviceOut']) => plant.type(device.key) !== undefined;
</script>

<svelte:window onkeydown={key} />

<section aria-label="Files read">
  <header class="row">
    <h2>Files</h2>
    <span class="quiet">{tray.doneCount} of {tray.entries.length} read</span>
    {#if tray.busy}<progress value={tray.doneCount} max={tray.entries.length}></progress>{/if}
    <span class="wide"></span>
    {#if !tray.busy}<button class="plain" onclick={() => tray.clear()}>Put away</button>{/if}
  </header>
  <ul>
    {#each tray.entries as entry (entry.key)}
      {#if !entry.results.length}
        <li class="row">
          <strong>{entry.name}</strong>
          {#if entry.state === 'failed'}<Mark state="error" />{/if}
          <span class="quiet">{waiting(entry)}</span>
          {#if entry.state === 'waiting' || entry.state === 'reading'}
            <button class="plain" onclick={() => tray.stop(entry.key)}>Stop</button>
          {/if}
        </li>
      {/if}
      {#each entry.results as file (file.sha256 + file.name)}
        {@const state = worst(file)}
        <li>
          <div class="row">
            <strong>{file.name}</strong>
            {#if state}<Mark {state} />{/if}
            {#if file.refused}
              <span class="refused"
                >not read{file.refused_line ? `, line ${file.refused_line}` : ''}: {file.refused}</span
              >
            {:else}
              <span class="quiet"
                >{file.family} · {file.vendor} · {plural(file.lines, 'line')}{file.problems.length
                  ? ` · ${plural(file.problems.length, 'problem')}`
                  : ''}{file.unknown ? ` · ${file.unknown} entries kept unused` : ''}</span
              >
            {/if}
            <span class="wide"></span>
            {#each file.devices as device (device.key)}
              <span
                >{device.name} <span class="quiet">{device.revisions.at(-1) ?? ''}</span>
                <span class="state"
                  >{device.state !== 'same' && here(device)
                    ? 'taken in'
                    : STATES[device.state]}</span
                ></span
              >
            {/each}
          </div>
          {#if file.problems.length}
            <svg
              class="strip"
              viewBox="0 0 {Math.max(file.lines, 1)} 10"
              preserveAspectRatio="none"
              aria-hidden="true"
            >
              <rect x="0" y="3" width={file.lines} height="4" class="body" />
              {#each file.problems as problem, n (n)}
                <rect
                  x={problem.line - 1}
                  y="0"
                  width={Math.max(file.lines / 250, 1)}
                  height="10"
                  class={problem.severity}
                />
              {/each}
            </svg>
            <div class="row problems">
              {#each file.problems.slice(0, 6) as problem, n (n)}
                <button
                  class="plain problem"
                  aria-pressed={open === file.sha256 && at === n}
                  onclick={() => void look(file, n)}
                  ><span class="mono {problem.severity}">line {problem.line}</span>
                  {problem.text}</button
                >
              {/each}
              {#if file.problems.length > 6}<span class="quiet"
                  >{file.problems.length - 6} more: walk them with <kbd>[</kbd> <kbd>]</kbd></span
                >{/if}
            </div>
          {/if}
          {#if open === file.sha256 && text}
            <pre
              class="mono"
              aria-label="Lines of {file.name}">{#each text.text as line, n (n)}<span
                  class:guilty={text.first + n === file.problems[at]?.line}
                  ><span class="quiet">{String(text.first + n).padStart(5)}</span>  {line}
</span>{/each}</pre>
          {/if}
          {#each file.devices.filter((d) => d.state === 'revision' && !here(d)) as device (device.key)}
            {#each device.older as older (older.key)}
              <div class="revision">
                <p>
                  {older.file} is here already; {device.name}
                  {device.revisions.at(-1) ?? ''} differs in {plural(
                    older.differences.length,
                    'line',
                  )}.
                  {older.used_at.length
                    ? `Used by ${older.used_at.map((u) => u.label).join(', ')}.`
                    : 'No station uses it.'}
                </p>
                <table>
                  <tbody>
                    {#each older.differences.slice(0, 8) as row (row.label)}
                      <tr
                        ><td class="quiet">{row.label}</td><td>{row.values[0] || '–'}</td><td>→</td
                        ><td>{row.values[1] || '–'}</td></tr
                      >
                    {/each}
                  </tbody>
                </table>
                <span class="row">
                  <button onclick={() => void keepBoth(device, [])}>Keep both</button>
                  {#if older.used_at.length}
                    {@const stations = older.used_at.map((u) => u.id)}
                    <button
                      class="primary"
                      onfocus={() =>
                        void plant.tryOut(revisionEdit(device, stations), 'Move the stations')}
                      onmouseenter={() =>
                        void plant.tryOut(revisionEdit(device, stations), 'Move the stations')}
                      onmouseleave={() => plant.endPreview()}
                      onblur={() => plant.endPreview()}
                      onclick={() => void keepBoth(device, stations)}
                      >Move {plural(stations.length, 'station')} to it</button
                    >
                  {/if}
                </span>
              </div>
            {/each}
          {/each}
        </li>
      {/each}
    {/each}
  </ul>
</section>

<style>
  section {
    border: 1px dashed var(--rule-2);
    padding: var(--s3) var(--s4);
    margin-bottom: var(--s4);
    max-height: 46%;
    overflow-y: auto;
    flex: none;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    border-top: 1px solid var(--rule);
    padding: var(--s2) 0;
  }
  .refused,
  .error {
    color: var(--bracken);
  }
  .warning {
    color: var(--gorse);
  }
  .state {
    color: var(--heather);
    font-weight: 600;
  }
  .strip {
    display: block;
    width: 100%;
    height: 12px;
    margin: var(--s2) 0;
  }
  .body {
    fill: var(--sunk);
  }
  rect.error {
    fill: var(--bracken);
  }
  rect.warning {
    fill: var(--gorse);
  }
  rect.note {
    fill: var(--rule-2);
  }
  .problems {
    flex-wrap: wrap;
    gap: 0 var(--s4);
  }
  .problem {
    font-weight: 400;
    text-align: left;
  }
  .problem[aria-pressed='true'] {
    background: var(--heather-tint);
  }
  pre {
    margin: var(--s2) 0;
    background: var(--leaf);
    padding: var(--s3) var(--s4);
    overflow-x: auto;
  }
  pre > span {
    display: block;
  }
  .guilty {
    background: var(--bracken-tint);
  }
  .revision {
    border-left: 3px solid var(--heather);
    padding: var(--s2) 0 var(--s2) var(--s4);
    margin: var(--s2) 0;
    display: grid;
    gap: var(--s2);
  }
  .revision td {
    height: 22px;
  }
</style>
