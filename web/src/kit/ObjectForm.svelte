<script lang="ts">
  import { got, http, type FieldOut, type Form } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import FeasibleWindow from './FeasibleWindow.svelte';
  import Field from './Field.svelte';

  /**
   * The form of an object, drawn from what the core says can be set; `only` picks fields by their paths. `built`: of
   * what really stands there.
   */
  let {
    plant,
    id,
    only = null,
    without = [],
    built = false,
  }: {
    plant: PlantStore;
    id: string;
    only?: ((path: string) => boolean) | null;
    /** Sections of the form that are drawn elsewhere. */
    without?: FieldOut['section'][];
    built?: boolean;
  } = $props();

  let form = $state.raw<Form | null>(null);

  $effect(() => {
    void plant.revision;
    const wanted = id;
    const path = { params: { path: { key: plant.key, row_id: wanted } } };
    http
      .GET(built ? '/api/plants/{key}/built/{row_id}' : '/api/plants/{key}/fields/{row_id}', path)
      .then((answer) => {
        if (wanted === id) form = answer.response.ok ? got(answer) : null;
      })
      .catch(() => {});
  });

  const fields = $derived(
    (form?.id === id ? form.fields : []).filter(
      (f) =>
        f.kind !== 'special' &&
        !(f.disabled && f.value == null) &&
        // A channel's fields are shown in the table of channels, a row each.
        !f.channel &&
        !without.includes(f.section) &&
        (!only || only(f.path)),
    ),
  );

  /** Parts of long forms that have a name of their own. */
  const HEADS: Partial<Record<FieldOut['section'], string>> = {
    bounds: 'Speeds',
    travel: 'Travel',
    homing: 'Homing',
    drive: 'Drive',
    sheet: 'Data sheet',
    arms: 'Asked of the arms',
    wrist: 'Asked of the wrist',
    frame: 'Its work',
    straight: 'Straight move',
    safety: 'Safety',
    failing: 'How it fails',
  };
  const edit = (path: string, value: unknown) => ({
    kind: built ? ('set-built' as const) : ('set' as const),
    ids: [id],
    values: { [path]: value },
  });
</script>

{#snippet entry(field: FieldOut)}
  <Field
    {field}
    disabled={!plant.mayEdit}
    ontry={async (value) => {
      const told = await plant.tryOut(edit(field.path, value), `${field.label}: ${value}`);
      return told?.sets[0]?.beside ?? null;
    }}
    oncommit={async (value) => {
      const what = built ? `${field.label}, as built` : field.label;
      await plant.edit(edit(field.path, value), `${form?.label ?? ''}: ${what}`);
    }}
    oncancel={() => plant.endPreview()}
  />
  {#if field.window && plant.mayEdit}<FeasibleWindow {plant} row={id} path={field.path} />{/if}
{/snippet}

{#each fields as field, n (field.path)}
  {@const head = HEADS[field.section]}
  {#if head && field.section !== fields[n - 1]?.section}<h3 class="part">{head}</h3>{/if}
  {@render entry(field)}
{/each}

<style>
  .part {
    margin: var(--s5) 0 var(--s1);
    font-size: var(--f-note);
    font-weight: 600;
    color: var(--ink-2);
  }
</style>
