import type {
  CatalogPage,
  DatasetBrief,
  DatasetFacts,
  DeclarationFact,
  Dependents,
  Evidence,
  Story,
  Found,
  IngestionFact,
  KindFact,
  LineageMap,
  Overview,
  SourceFact,
  UnreadPage,
  Schemas,
} from '../src/api/client'

/** What the server of a small ferry operator answers. */
export const facts: DatasetFacts = {
  id: 28,
  name: 'strait.core.sailing_revenue',
  title: 'core.sailing_revenue',
  kind: 'table',
  system: 'postgresql',
  namespace: 'postgres://islands:5432',
  container: 'strait.core',
  description: 'What each sailing earned.',
  owner: null,
  address: null,
  rows: 6722,
  placeholder: true,
  gone_since: null,
  first_seen: '2026-11-23T08:00:00Z',
  scanned_at: null,
  feeds_itself: true,
  columns: ['gross', 'net'].map((name, i) => ({
    id: 100 + i,
    name,
    kind: 'column',
    type: 'numeric',
    placeholder: false,
    gone: false,
    upstream: 1,
    downstream: 2,
    description: null,
    reports: i,
    facts: {},
  })),
  written_by: [],
  upstream: 3,
  downstream: 2,
  columns_total: 2,
  reports: ['Board pack'],
  reports_total: 1,
  unread: 1,
  bytes: 8192,
  details: { role: 'jalan', privileges: { quay_desk: ['select'] } },
  known_as: [],
  conflicts: [],
  points: [],
  uses: [],
}

const at = '2026-11-23T08:00:00Z'

function brief(id: number, title: string, kind: string, columns: string[]): DatasetBrief {
  return {
    id,
    name: `strait.${title}`,
    title,
    kind,
    system: kind === 'report' ? 'reports' : 'postgresql',
    container: kind === 'report' ? 'Board' : 'strait.core',
    owner: kind === 'report' ? 'Quay desk' : null,
    placeholder: false,
    gone: false,
    feeds_itself: false,
    fields: columns.map((name, i) => ({
      id: id * 100 + i,
      name,
      kind: kind === 'report' ? 'element' : 'column',
      type: 'numeric',
      placeholder: false,
      gone: false,
      upstream: 1,
      downstream: 1,
    })),
    total_fields: columns.length,
  }
}

export const map: LineageMap = {
  focus: 28,
  fields: [],
  lanes: [
    { offset: -1, total: 1, datasets: [brief(5, 'core.tickets', 'table', ['fare', 'voided'])] },
    { offset: 0, total: 1, datasets: [brief(28, 'core.sailing_revenue', 'table', ['gross'])] },
    { offset: 1, total: 1, datasets: [brief(40, 'Board pack', 'report', ['Gross by month'])] },
  ],
  crossings: [
    {
      id: 7,
      source_dataset: 5,
      source_field: 500,
      target_dataset: 28,
      target_field: 100,
      kind: 'value',
      how: 'aggregation',
      label: 'sum(t.fare)',
      by: 'nightly.core.revenue',
      more: 0,
      possible: false,
    },
    {
      id: 8,
      source_dataset: 5,
      source_field: 501,
      target_dataset: 28,
      target_field: null,
      kind: 'condition',
      how: 'filter',
      label: 'filter',
      by: 'nightly.core.revenue',
      more: 0,
      possible: true,
    },
  ],
  bundles: [],
  upstream: { hops: 1, datasets: 3, reports: 0, next_datasets: 3 },
  downstream: { hops: 0, datasets: 0, reports: 0, next_datasets: 0 },
  steps: [],
  steps_total: 0,
  version: 1,
  as_of: null,
}

export const trail: LineageMap = {
  ...map,
  fields: [100],
  lanes: map.lanes.map((lane) =>
    lane.offset === 0
      ? {
          ...lane,
          datasets: lane.datasets.map((one) => ({
            ...one,
            fields: one.fields.map((field) => ({ ...field, id: 100 })),
          })),
        }
      : lane,
  ),
  steps: [
    {
      link: 7,
      links: [7],
      source: 'core.tickets.fare',
      more: 0,
      target: 'core.sailing_revenue.gross',
      place: 'core/revenue.sql',
      line: 3,
      how: 'aggregation',
      label: 'sum(t.fare)',
      dataset: 28,
      lane: 0,
      level: 0,
      fed_by: [],
      grouped_by: ['sailing_id'],
      decided_by: [],
    },
  ],
  steps_total: 1,
}

export const story: Story = {
  sentence: 'Gross is sum of fare by sailing_id.',
  steps: [{ link: 7, words: 'sum of fare by sailing_id', expression: 'sum(t.fare)' }],
}

const text =
  'insert into core.sailing_revenue\nselect sum(t.fare)\nfrom core.tickets t\nwhere not t.voided'
const fare = text.indexOf('t.fare')

export const evidence: Evidence = {
  link: 7,
  kind: 'value',
  how: 'aggregation',
  origin: 'parsed',
  source: 'core.tickets.fare',
  target: 'core.sailing_revenue.gross',
  expression: 'sum(t.fare)',
  definition: {
    id: 3,
    kind: 'file',
    place: 'core/revenue.sql',
    job: 'nightly.core.revenue',
    version: 2,
    valid_from: at,
    revision: 'abc1234',
    author: 'Harbour office',
    authored_at: at,
  },
  text,
  first_line: 1,
  marks: [
    { start: fare - 4, end: fare + 7, kind: 'expression' },
    { start: fare, end: fare + 6, kind: 'link' },
  ],
  start: 0,
  end: text.length,
  others: [],
  path: '',
  possible: false,
  way: [{ kind: 'aggregated', table: '', name: 'gross', expression: 'sum(t.fare)' }],
}

export const dependents: Dependents = {
  field: 100,
  label: 'core.sailing_revenue.gross',
  effects: { value: 'carries its value', condition: 'decided by it' },
  items: [
    {
      field: 4000,
      name: 'Gross by month',
      kind: 'element',
      dataset: 40,
      dataset_name: 'board-pack',
      dataset_title: 'Board pack',
      report: true,
      owner: 'Quay desk',
      effect: 'value',
      hops: 1,
      path: [
        { field: 4000, dataset: 40, label: 'Board pack.Gross by month', link: 9, kind: 'value' },
      ],
    },
  ],
  total: 1,
  next: null,
  groups: [],
  groups_total: 1,
  columns: 0,
  elements: 1,
  reports: 1,
  version: 1,
}

export const page: CatalogPage = {
  items: [
    {
      id: 40,
      name: 'board-pack',
      title: 'Board pack',
      kind: 'report',
      system: 'reports',
      container: 'Board',
      description: null,
      owner: 'Quay desk',
      placeholder: false,
      gone: false,
      columns: 3,
      upstream: 8,
      downstream: 0,
      reports: 0,
      why: null,
    },
  ],
  total: 1,
  next: null,
  facets: {
    kind: [{ value: 'report', count: 1 }],
    system: [],
    container: [],
    owner: [{ value: 'Quay desk', count: 1 }],
    state: [],
  },
  facet_totals: { kind: 1, system: 0, container: 0, owner: 1, state: 0 },
}

export const overview: Overview = {
  systems: [
    {
      namespace: 'postgres://islands:5432',
      kind: 'postgresql',
      databases: ['strait'],
      datasets: 12,
      fields: 90,
      placeholders: 1,
      scanned_at: at,
    },
  ],
  datasets: { table: 10, report: 2 },
  fields: 90,
  placeholders: 1,
  gone: 0,
  links: { value: 80, condition: 40 },
  definitions: 20,
  statements: 30,
  statements_followed: 29,
  columns_traced: 70,
  columns_traceable: 80,
  diagnostics: [
    {
      level: 'error',
      code: 'syntax_error',
      message: 'expected a table, met “from”',
      hint: 'the statement is left out',
      place: 'core/tides.sql',
      line: 4,
      excerpt: 'select from from',
    },
  ],
  diagnostic_counts: { syntax_error: 1 },
  connections: [{ source: 'strait.core', target: 'reports', links: 4 }],
  ingestions: [
    {
      kind: 'repository',
      subject: 'pipelines',
      state: 'done',
      started_at: at,
      finished_at: at,
      changed: {},
      found: { files: 12 },
      message: null,
    },
  ],
  changes: [{ place: 'core/revenue.sql', kind: 'file', version: 2, at, dataset: 28 }],
  reports: page.items,
}

export const hit: Found = {
  kind: 'dataset',
  dataset: 5,
  field: null,
  title: 'core.tickets',
  path: 'islands:5432/strait.core.tickets',
  dataset_kind: 'table',
  why: 'name',
}

export const ingestion: IngestionFact = {
  id: 3,
  source: 1,
  subject: 'pipelines',
  kind: 'repository',
  state: 'done',
  who: 'local user',
  started_at: at,
  finished_at: at,
  duration: 2.5,
  progress: null,
  stopping: false,
  found: { files: 12 },
  changed: { links: 4 },
  notes: [{ level: 'warning', code: 'unreadable_file', message: 'is no SQL', place: 'tides.bin' }],
  message: null,
  coverage: null,
}

export const source: SourceFact = {
  id: 1,
  name: 'pipelines',
  kind: 'repository',
  kind_title: 'SQL repository',
  config: { kind: 'repository', location: '/srv/pipelines' },
  secrets: {},
  schedule: '0 3 * * *',
  next_run: at,
  created_at: at,
  created_by: 'local user',
  last_ingestion: ingestion,
  last_done: ingestion,
  ongoing: null,
  unread: 1,
  coverage: {
    full: 28,
    part: 1,
    none: 1,
    columns: 60,
    resolved: 58,
    full_share: 0.93,
    resolved_share: 0.97,
  },
}

export const unread: UnreadPage = {
  items: [
    {
      level: 'error',
      code: 'syntax_error',
      message: 'expected a table, met “from”',
      hint: 'the statement is left out',
      place: 'core/tides.sql',
      line: 4,
      column: 8,
      kind: 'file',
      text: 'select from from',
      excerpt: 'select from from',
    },
  ],
  total: 1,
}

export const kinds: KindFact[] = [
  {
    kind: 'repository',
    title: 'SQL repository',
    about: 'Files of SQL in a folder or in git.',
    config: {
      properties: { location: { type: 'string', title: 'Location' } },
      required: ['location'],
    },
  } as unknown as KindFact,
]

export const declaration: DeclarationFact = {
  id: 2,
  kind: 'consumer',
  sources: ['strait.core.tickets'],
  target: 'gate-scans',
  owner: 'Quay desk',
  because: 'they print it each morning',
  by: 'Quay desk',
  on: '2026-11-20',
}

export const noRuns: Schemas['RunsPage'] = {
  items: [],
  total: 0,
  events: 0,
  next: null,
  since: '2026-11-26T00:00:00Z',
  until: '2026-11-27T00:00:00Z',
  facets: {},
  facets_of: 0,
  buckets: [],
}

/** A dataset with so many columns. */
export function dataset(id: number, columns: number, container = 'strait.core'): DatasetBrief {
  const fields = Array.from({ length: columns }, (_, i) => ({
    id: id * 100 + i,
    name: `c${i}`,
    kind: 'column',
    type: 'int',
    placeholder: false,
    gone: false,
    upstream: 0,
    downstream: 0,
  }))
  return {
    id,
    name: `${container}.t${id}`,
    title: `core.t${id}`,
    kind: 'table',
    system: 'postgresql',
    container,
    owner: null,
    placeholder: false,
    gone: false,
    feeds_itself: false,
    fields,
    total_fields: columns + 2,
  }
}
