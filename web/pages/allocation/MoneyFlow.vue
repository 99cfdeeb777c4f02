<script setup lang="ts">
import { sankey, sankeyLinkHorizontal, type SankeyLink, type SankeyNode } from 'd3-sankey'
import { computed } from 'vue'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { WayOfMoney } from '../../../server/features/allocation/routes.ts'
import { usePlace } from '../../composables/usePlace.ts'
import { amount } from '../../format.ts'

const props = defineProps<{ way: WayOfMoney; keys: (filter: KeyFilter) => string; figure: (kind: string, ...parts: string[]) => string }>()
const { figure: open, openFigure } = usePlace()

interface Block { id: string; label: string; amount: string; figure: string | null; tone: string }
interface Band { amount: string }
type LaidBlock = SankeyNode<Block, Band>
type LaidBand = SankeyLink<Block, Band>

const WIDTH = 1180
const HEIGHT = 430

function blockOf(id: string): Block {
  const [kind, name = ''] = id.split(/:(.*)/s)
  const { way, keys, figure } = props
  if (kind === 'provider') return { id, label: name, amount: way.providers.find((provider) => provider.name === name)?.amount ?? '0', figure: keys({ provider: name }), tone: 'var(--accent)' }
  if (kind === 'pool') { const pool = way.pools.find(({ code }) => code === name); return { id, label: pool?.name ?? name, amount: pool?.amount ?? '0', figure: figure('pool', name), tone: 'var(--ochre)' } }
  if (kind === 'centre') { const centre = way.centres.find(({ code }) => code === name); return { id, label: `${name} ${centre?.name ?? ''}`, amount: centre?.amount ?? '0', figure: figure('statement', `cc:${name}`), tone: 'var(--ink)' } }
  if (kind === 'held') return { id, label: 'Held', amount: way.held, figure: way.asides.length ? keys({ kind: 'aside' }) : null, tone: 'var(--warn)' }
  return { id, label: 'Unassigned', amount: way.unassigned, figure: keys({ kind: 'unassigned' }), tone: 'var(--warn)' }
}

/** Widths are approximate; credits have no width and stand in the tables below. */
const laid = computed(() => {
  const flows = props.way.flows.filter((flow) => Number(flow.amount) > 0)
  const ids = [...new Set(flows.flatMap(({ from, to }) => [from, to]))]
  if (ids.length === 0) return null
  const layout = sankey<Block, Band>().nodeId(({ id }) => id).nodeWidth(9).nodePadding(9).extent([[150, 8], [WIDTH - 230, HEIGHT - 8]]).nodeSort(null)
  return layout({ nodes: ids.sort().map(blockOf), links: flows.map(({ from, to, amount: value }) => ({ source: from, target: to, value: Number(value), amount: value })) })
})
const path = sankeyLinkHorizontal<Block, Band>()
const end = (side: LaidBand['source']): LaidBlock => side as LaidBlock
const isRight = (block: LaidBlock): boolean => (block.x0 ?? 0) > WIDTH / 2
const isPool = (block: LaidBlock): boolean => block.id.startsWith('pool:')
const negatives = computed(() => props.way.flows.filter((flow) => Number(flow.amount) < 0).length)
</script>

<template>
  <figure v-if="laid" class="m-0">
    <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" class="w-full" role="group" aria-label="The way of the money from providers, directly or through pools, to cost centres">
      <g fill="none">
        <path v-for="(band, index) in laid.links" :key="index" :d="path(band) ?? ''" :stroke-width="Math.max(1, band.width ?? 0)" class="band" :class="{ warn: ['unassigned', 'held'].includes(end(band.target).id), pooled: isPool(end(band.source)) || isPool(end(band.target)) }">
          <title>{{ end(band.source).label }} to {{ end(band.target).label }}: {{ amount(band.amount) }}</title>
        </path>
      </g>
      <g v-for="block in laid.nodes" :key="block.id" class="block" :class="{ open: block.figure && block.figure === open }" :tabindex="block.figure ? 0 : -1" role="button" :aria-label="`${block.label} ${amount(block.amount)}`" @click="block.figure && openFigure(block.figure)" @keydown.enter="block.figure && openFigure(block.figure)">
        <rect :x="block.x0" :y="block.y0" :width="(block.x1 ?? 0) - (block.x0 ?? 0)" :height="Math.max(1.5, (block.y1 ?? 0) - (block.y0 ?? 0))" :fill="block.tone" />
        <text :x="isRight(block) ? (block.x1 ?? 0) + 8 : isPool(block) ? (block.x1 ?? 0) + 8 : (block.x0 ?? 0) - 8" :y="((block.y0 ?? 0) + (block.y1 ?? 0)) / 2" dy="0.36em" :text-anchor="isRight(block) || isPool(block) ? 'start' : 'end'">
          {{ block.label }} <tspan font-weight="600">{{ amount(block.amount) }}</tspan>
        </text>
      </g>
    </svg>
    <figcaption v-if="negatives" class="note">Credits have no width here; the tables below count them.</figcaption>
  </figure>
</template>

<style scoped>
.band { stroke: var(--accent); opacity: 0.22; }
.band.pooled { stroke: var(--ochre); opacity: 0.32; }
.band.warn { stroke: var(--warn); opacity: 0.45; }
.band:hover { opacity: 0.6; }
.block { cursor: pointer; outline: none; }
.block text { fill: var(--ink); font-size: 12px; paint-order: stroke; stroke: var(--page); stroke-width: 3px; }
.block:hover text, .block:focus-visible text, .block.open text { text-decoration: underline; text-decoration-color: var(--ochre); }
</style>
