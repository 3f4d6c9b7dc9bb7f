<script lang="ts">
  import { http, type Schemas } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import { live, shown } from './numbers';

  /** One value as counts, at the terminals and in the signal's unit: whichever is typed, the others follow. */
  let { plant, signal }: { plant: PlantStore; signal: string } = $props();

  type Forms = Schemas['FormsOut'];
  type Form = 'value' | 'electrical' | 'raw';

  let from = $state<Form>('value');
  let typed = $state('');
  let told = $state.raw<Forms | null>(null);
  let problem = $state('');
  let offered = $state(false);

  const unit = $derived(plant.row('signals', signal)?.unit ?? '');
  const now = $derived.by(() => {
    const told = plant.bench.running ? plant.bench.values.get(signal) : undefined;
    return told?.quality === 'not wired' ? undefined : told;
  });
  const path = $derived({ key: plant.key, signal_id: signal });

  async function ask(form: Form, text: string): Promise<void> {
    const query = { form, typed: text };
    const answer = await http.GET('/api/plants/{key}/forms/{signal_id}', {
      params: { path, query },
    });
    if (text !== (typed || '0') || form !== from) return;
    told = answer.data ?? null;
    problem = answer.data ? '' : ((answer.error as { detail?: string })?.detail ?? '');
  }

  // Only what has counts and a scaling, or terminals, is offered to be converted.
  $effect(() => {
    void plant.revision;
    void http
      .GET('/api/plants/{key}/forms/{signal_id}', {
        params: { path, query: { form: 'raw', typed: '0' } },
      })
      .then((answer) => {
        offered = answer.response.ok;
        if (offered && typed) void ask(from, typed);
      })
      .catch(() => {});
  });

  function type(form: Form, text: string) {
    from = form;
    typed = text;
    if (text) void ask(form, text).catch(() => {});
    else told = null;
  }

  const written = (form: Form): string => {
    if (form === from) return typed;
    const value = told?.[form];
    return value == null ? '' : shown(value, 6);
  };
</script>

{#snippet field(form: Form, label: string, words: string)}
  <label>
    <span class="quiet">{label}</span>
    <input
      class="mono"
      value={written(form)}
      aria-label={label}
      aria-invalid={form === from && problem !== ''}
      oninput={(event) => type(form, event.currentTarget.value)}
      onkeydown={(event) => event.stopPropagation()}
    />
    <span class="unit">{words}</span>
  </label>
{/snippet}

{#if offered}
  <h3>Convert a value <span class="quiet hint">type one, read the others</span></h3>
  <div class="forms">
    {@render field('value', 'Value', unit)}
    {#if told === null || told.electrical !== null}{@render field(
        'electrical',
        'At the terminals',
        told?.unit ?? '',
      )}{/if}
    {@render field('raw', 'Counts', '')}
  </div>
  {#if now}<p class="quiet">
      now <span class="mono"
        >{[
          now.value == null ? '' : `${live(now.value)} ${unit}`,
          now.electrical,
          now.raw == null ? '' : `${live(now.raw)} counts`,
        ]
          .filter(Boolean)
          .join(' · ')}</span
      >
    </p>{/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>
  {:else if told?.says}<p class="quiet">{told.says}</p>{/if}
{/if}

<style>
  h3 {
    margin: var(--s5) 0 var(--s1);
    border-top: 1px solid var(--rule);
    padding-top: var(--s4);
  }
  label {
    display: grid;
    grid-template-columns: minmax(92px, 38%) 1fr 30px;
    gap: var(--s3);
    align-items: center;
    padding: 1px 0;
  }
  input {
    height: 26px;
    text-align: right;
  }
  .hint {
    font: var(--f-note) var(--text);
  }
  .problem {
    color: var(--bracken);
  }
</style>
