import { defaultSetting } from '../core/kubernetes/expandClusters.ts'
import { emptyRulebook, type Classification, type ClusterSetting, type ClusterWay, type Condition, type Pool, type Rule, type Rulebook } from '../core/types.ts'
import { SYSTEM_NAMESPACES } from './clusters.ts'

const is = (field: string, ...values: string[]): Condition => ({ field, operator: 'is', values })
const contains = (field: string, value: string): Condition => ({ field, operator: 'contains', values: [value] })
const present = (field: string): Condition => ({ field, operator: 'present', values: [] })

let count = 0
const rule = (name: string, kind: 'costCentre' | 'pool', code: string, ...conditions: Condition[]): Rule =>
  ({ id: `r${++count}`, name, enabled: true, conditions, outcome: { kind, code }, from: null, to: null })

const team = (value: string, code: string, name: string): Rule => rule(`${name} by team tag`, 'costCentre', code, is('tag:team', value))
const account = (id: string, code: string, name: string): Rule => rule(`${name}, whole sub account`, 'costCentre', code, is('SubAccountId', id))

const POOLS: Pool[] = [
  { code: 'CLUSTERS', name: 'Cluster nodes', base: { kind: 'driver', driver: 'NODE-HOURS' }, recipients: [] },
  { code: 'LOGS', name: 'Shared log keeping', base: { kind: 'driver', driver: 'LOG-VOLUME' }, recipients: [] },
  { code: 'EGRESS', name: 'Traffic out of Tarnhost', base: { kind: 'driver', driver: 'traffic:internet' }, recipients: [] },
  { code: 'TILES', name: 'Map tiles', base: { kind: 'driver', driver: 'traffic:map-tiles' }, recipients: [] },
  { code: 'MOSAIC', name: 'Radar mosaic database', base: { kind: 'fixed', percents: { '1010': '50', '1020': '30', '5020': '20' } }, recipients: [] },
  { code: 'SUPPORT', name: 'Support plans', base: { kind: 'direct' }, recipients: [] },
  { code: 'TAX', name: 'Taxes and levies', base: { kind: 'direct' }, recipients: [] },
]

const value = (name: string, code: string, ...conditions: Condition[]): Rule => ({ id: `v${++count}`, name, enabled: true, conditions, outcome: { kind: 'value', code }, from: null, to: null })

/** What the cooperative makes, and in which environment: by team and sub account. */
function classifications(): Classification[] {
  const teams: Record<string, string> = { models: 'Forecasts/Models', radar: 'Forecasts/Radar', app: 'Public/Phone app', harbour: 'Briefings/Harbour', airfield: 'Briefings/Airfield', gauges: 'River/Gauges', warnings: 'River/Warnings', archive: 'Research/Archive', nowcast: 'Research/Nowcast' }
  return [
    { code: 'product', name: 'Product', rules: [
      { id: `v${++count}`, name: 'By team', enabled: true, conditions: [], outcome: { kind: 'mapped', field: 'tag:team', mapping: teams, elseItself: false }, from: null, to: null },
      value('Open data portal', 'Public/Open data', is('SubAccountId', 'th-portal')), value('School outreach', 'Public/Schools', is('SubAccountId', 'ov-schools')),
      value('Duty desk', 'Forecasts/Duty desk', is('SubAccountId', 'th-duty')), value('Archive in the hall', 'Research/Archive', is('SubAccountId', 'qh-archive')),
    ] },
    { code: 'environment', name: 'Environment', rules: [
      { id: `v${++count}`, name: 'By tag', enabled: true, conditions: [], outcome: { kind: 'mapped', field: 'tag:environment', mapping: { prod: 'production' }, elseItself: true }, from: null, to: null },
    ] },
  ]
}

/** Idle nodes of heron are a shared cost, those of plover are borne by who runs on them, those of the own hall by the platform. */
function clusters(): ClusterSetting[] {
  const setting = (cluster: string, idle: ClusterWay, overhead: ClusterWay): ClusterSetting => ({ ...defaultSetting(cluster), systemNamespaces: SYSTEM_NAMESPACES, nodeCharges: [is('tag:cluster', cluster), contains('ResourceName', '-node-')], idle, overhead })
  return [
    { ...setting('heron', { kind: 'pool', code: 'CLUSTERS' }, { kind: 'tenants' }), overheadCharges: [is('ServiceName', 'Cluster Control')] },
    setting('plover', { kind: 'node' }, { kind: 'node' }), setting('dunlin', { kind: 'costCentre', code: '9010' }, { kind: 'tenants' }),
  ]
}

/** The rulebook that the demo starts with. The misspelled and the untagged are left for the user to find. */
export function demoRulebook(): Rulebook {
  count = 0
  return {
    ...emptyRulebook(), tagKeys: ['team', 'environment'], classifications: classifications(),
    clusters: clusters(), pools: POOLS, poolMethod: 'reciprocal', markUps: [{ id: 'm1', name: 'Administration of shared services', costCentres: [], on: 'pools', fee: { kind: 'percent', percent: '3' }, recoveryAccount: '7900' }],
    rules: [
      rule('Taxes and levies', 'pool', 'TAX', is('ChargeCategory', 'Tax')),
      rule('Support plans', 'pool', 'SUPPORT', is('ServiceName', 'Support plan')),
      rule('Cluster nodes', 'pool', 'CLUSTERS', present('tag:cluster')),
      rule('Shared gateway out', 'pool', 'EGRESS', is('ResourceId', 'th-net-out')), rule('Map tiles', 'pool', 'TILES', is('ResourceId', 'th-tiles')),
      rule('Radar mosaic database', 'pool', 'MOSAIC', is('ResourceId', 'nb-db-mosaic')),
      rule('Shared log streams', 'pool', 'LOGS', is('ProviderName', 'Loomlog'), is('tag:team', 'shared')),
      rule('Unused commitments', 'costCentre', '9010', is('CommitmentDiscountStatus', 'Unused')),
      rule('Commitment purchases', 'costCentre', '9010', is('ChargeCategory', 'Purchase'), present('CommitmentDiscountId')),
      rule('Balloon soundings', 'costCentre', '5020', is('tag:project', 'balloon')),
      team('models', '1010', 'Model Runs'), team('radar', '1020', 'Radar Ingest'), account('th-duty', '1030', 'Duty Desk'),
      team('app', '2010', 'Phone App'), account('th-portal', '2020', 'Open Data Portal'), account('ov-schools', '2030', 'School Outreach'),
      team('harbour', '3010', 'Harbour Briefings'), team('airfield', '3020', 'Airfield Briefings'),
      team('gauges', '4010', 'River Gauges'), team('warnings', '4020', 'Flood Warnings'),
      team('archive', '5010', 'Climate Archive'), account('qh-archive', '5010', 'Climate Archive'), team('nowcast', '5020', 'Nowcast Lab'),
      account('th-platform', '9010', 'IT Platform'), team('platform', '9010', 'IT Platform'), account('ov-office', '9020', 'Finance and People'),
    ],
  }
}
