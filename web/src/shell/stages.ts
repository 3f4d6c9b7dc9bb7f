import type { Finding } from '../api/client';

/** The stages in the order people do them. `later` says what will stand where nothing is built yet. */
export const STAGES = [
  { key: 'hardware', name: 'Hardware', later: [] },
  { key: 'networks', name: 'Networks', later: [] },
  { key: 'signals', name: 'Signals', later: [] },
  { key: 'safety', name: 'Safety', later: [] },
  { key: 'motion', name: 'Motion', later: [] },
  { key: 'live', name: 'Live', later: [] },
  {
    key: 'handover',
    name: 'Handover',
    later: [
      'Variable declarations for the programmer, I/O and address lists for the electrician',
      'Numbered issues of the project, and the difference against the last one',
    ],
  },
] as const;

export type StageKey = (typeof STAGES)[number]['key'];

export function stageOf(key: string | undefined): (typeof STAGES)[number] {
  return STAGES.find((stage) => stage.key === key) ?? STAGES[0];
}

/** What is still wrong in a stage, by severity. */
export function counts(findings: Iterable<Finding>, stage: string) {
  const result = { error: 0, warning: 0, note: 0 };
  for (const finding of findings) if (finding.stage === stage) result[finding.severity]++;
  return result;
}
