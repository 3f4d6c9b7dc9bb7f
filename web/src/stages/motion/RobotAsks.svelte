<script lang="ts">
  import { got, http, type PartResult, type Schemas } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /**
   * What a type asks of the arms together and of the wrist: what is so everywhere stays short, what is not is said with
   * what mends it.
   */
  let { plant, robot, told }: { plant: PlantStore; robot: string; told: PartResult<'robot.told'> } =
    $props();

  type Parameter = (typeof told.parameters)[number];
  type Asked = Parameter['asked'][number];
  const name = (axis: string) => plant.row('axes', axis)?.name ?? '';
  const GROUPS = $derived([
    { head: 'Arms', has: (place: string) => place !== 'wrist' },
    ...(told.joints.some((joint) => joint.place === 'wrist')
      ? [{ head: 'Wrist', has: (place: string) => place === 'wrist' }]
      : []),
  ]);
  const OFFSET = 'encoder_offset';

  function value(parameter: Parameter, number: number | null): string {
    if (number === null) return 'not set';
    if (parameter.key === 'reversed') return number ? 'yes' : 'no';
    return `${shown(number, 7)}${parameter.unit ? ` ${parameter.unit}` : ''}`;
  }
  const asks = (has: (place: string) => boolean) =>
    told.parameters
      .filter((one) => one.key !== OFFSET)
      .flatMap((one) => {
        const those = one.asked.filter((asked) => has(asked.place));
        return those[0]
          ? [{ one, asked: those[0].asked, good: those.every((asked) => asked.good && asked.axis) }]
          : [];
      });
  const wrong = $derived(
    told.parameters.flatMap((one) =>
      one.asked
        .filter((asked) => asked.axis && !asked.good && one.key !== OFFSET)
        .map((asked) => ({ one, asked })),
    ),
  );
  const offsets = $derived(told.parameters.find((one) => one.key === OFFSET)?.asked ?? []);

  // What stands in the drives, asked anew whenever something of it may be another.
  let inDrives = $state.raw<Record<string, Schemas['CopiesTold']>>({});
  let count = 0;
  $effect(() => {
    void [plant.configured, plant.revision, plant.bench.running];
    const mine = ++count;
    const axes = told.joints.map((joint) => joint.axis).filter(Boolean);
    Promise.all(
      axes.map(async (axis_id) => {
        const path = { key: plant.key, axis_id };
        return [
          axis_id,
          got(await http.GET('/api/plants/{key}/axes/{axis_id}/copies', { params: { path } })),
        ] as const;
      }),
    )
      .then((all) => {
        if (mine === count) inDrives = Object.fromEntries(all);
      })
      // Without an answer nothing is said of the drives.
      .catch(() => {});
  });
  const apart = $derived(
    told.parameters.flatMap((one) =>
      one.asked.flatMap((asked) => {
        const copy = inDrives[asked.axis]?.differing.find((each) => each.key === one.key);
        const differs = copy && (copy.acting !== copy.project || copy.unsaved);
        return copy && differs && asked.good ? [{ one, asked, copy }] : [];
      }),
    ),
  );

  const meet = (keys: string[], label: string) =>
    void plant.edit({ kind: 'meet-type', robot, keys }, label).catch(() => {});
  const drive = (asked: Asked, what: 'write' | 'save' | 'restart', keys: string[]) => {
    const edit = { kind: 'drive-copies' as const, axis: asked.axis, do: what, keys };
    const words = { write: 'Write to', save: 'Save in', restart: 'Restart' }[what];
    void plant.edit(edit, `${words} the drive of ${name(asked.axis)}`).catch(() => {});
  };
  function typed(asked: Asked, text: string) {
    const values = { [`settings.${OFFSET}`]: text.trim() === '' ? null : text };
    const edit = { kind: 'set' as const, ids: [asked.axis], values };
    void plant.edit(edit, `Encoder offset of ${name(asked.axis)}`).catch(() => {});
  }
</script>

<section aria-label="What its type asks">
  <div class="row head">
    <h2>What its type asks</h2>
    <span class="quiet">{told.type}</span>
    <span class="wide"></span>
    {#if plant.mayEdit && wrong.length > 1}
      <button onclick={() => meet([], 'All as the type asks')}>Set all as is asked</button>
    {/if}
  </div>
  {#each GROUPS as group (group.head)}
    <div class="asks">
      <b>{group.head}</b>
      <p>
        {#each asks(group.has) as { one, asked, good } (one.key)}
          <span class="ask" class:bad={!good}
            >{#if !good}<Mark state="error" />{/if}
            {one.label.toLowerCase()} <span class="mono">{value(one, asked)}</span></span
          >
        {/each}
      </p>
    </div>
  {/each}
  {#if wrong.length}
    <ul>
      {#each wrong as { one, asked } (one.key + asked.place)}
        <li>
          <b>{name(asked.axis)}</b>
          {one.label.toLowerCase()} <span class="mono">{value(one, asked.value)}</span>
          {#if plant.mayEdit}<button
              class="plain"
              onclick={() => meet([one.key], `${one.label} as is asked`)}
              >Set {value(one, asked.asked)} on all</button
            >{/if}
        </li>
      {/each}
    </ul>
  {/if}
  <div class="row offsets">
    <b>Encoder offset</b>
    {#each offsets as asked (asked.place)}
      {#if asked.axis}
        <label class:bad={!asked.good}
          >{name(asked.axis)}
          <input
            class="mono"
            aria-label="Encoder offset of {name(asked.axis)}"
            disabled={!plant.mayEdit}
            value={asked.value === null ? '' : String(asked.value)}
            placeholder="not set"
            onchange={(event) => typed(asked, event.currentTarget.value)}
          /><span class="unit">°</span></label
        >
      {/if}
    {/each}
  </div>
  {#if apart.length}
    <ul>
      {#each apart as { one, asked, copy } (one.key + asked.place)}
        <li>
          <Mark state="warning" /> In the drive of <b>{name(asked.axis)}</b>
          {one.label.toLowerCase()}
          <span class="mono">{value(one, copy.acting)}</span>
          {#if copy.waits}<span class="quiet">until it is restarted</span>{/if}
          {#if copy.unsaved}<span class="quiet">not saved</span>{/if}
          {#if plant.mayEdit}
            {#if copy.drive !== copy.project}
              <button class="plain" onclick={() => drive(asked, 'write', [one.key])}>Write</button>
            {:else if copy.unsaved}
              <button class="plain" onclick={() => drive(asked, 'save', [])}
                >Save in the drive</button
              >
            {:else if copy.waits}
              <button class="plain" onclick={() => drive(asked, 'restart', [])}
                >Restart the drive</button
              >
            {/if}
          {/if}
        </li>
      {/each}
    </ul>
  {/if}
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  .asks {
    display: grid;
    grid-template-columns: 96px 1fr;
    gap: var(--s4);
    margin: var(--s2) 0;
  }
  .asks p {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1) var(--s6);
    margin: 0;
  }
  .offsets b {
    width: 96px;
  }
  .ask {
    color: var(--ink-2);
  }
  .ask .mono {
    color: var(--ink);
  }
  .bad,
  .ask.bad .mono {
    color: var(--bracken);
  }
  ul {
    list-style: none;
    margin: var(--s2) 0;
    padding: 0 0 0 calc(96px + var(--s4));
  }
  .offsets {
    align-items: baseline;
    gap: var(--s4) var(--s6);
    flex-wrap: wrap;
  }
  .offsets input {
    width: 84px;
    text-align: right;
  }
  .bad input {
    border-color: var(--bracken);
  }
</style>
