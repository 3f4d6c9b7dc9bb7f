import { got, http, Problem, type Edit, type Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';

type Template = Schemas['TemplateOut'];

/** My own templates of command profiles, whatever plant they come from. */
export class ProfileTemplates {
  all = $state.raw<Template[]>([]);
  told = $state('');

  constructor(private readonly plant: PlantStore) {}

  async fetch(): Promise<void> {
    const answer = await http.GET('/api/templates').catch(() => null);
    if (answer?.response.ok)
      this.all = (got(answer) as Template[]).filter((each) => each.kind === 'profile');
  }

  /** Keep a profile by a name. */
  async keep(profile: string, name: string): Promise<void> {
    try {
      const path = { params: { path: { key: this.plant.key } } };
      const body = { ids: [profile] };
      const clip = got(await http.POST('/api/plants/{key}/clip', { ...path, body }));
      got(await http.POST('/api/templates', { body: { name, clip } }));
      this.told = `Kept as “${name}”: it is offered for every drive, in every plant.`;
      await this.fetch();
    } catch (error) {
      this.told = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  async forget(template: Template): Promise<void> {
    const path = { number: template.id };
    await http.DELETE('/api/templates/{number}', { params: { path } }).catch(() => null);
    this.told = '';
    await this.fetch();
  }

  /** What commands an axis by one of them. */
  taken(id: number, axis: string): Edit | null {
    const template = this.all.find((each) => each.id === id);
    return template
      ? {
          kind: 'paste',
          clip: template.clip as Schemas['Clip'],
          into: axis,
          before: null,
          slot: null,
        }
      : null;
  }
}
