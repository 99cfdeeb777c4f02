<script setup lang="ts">
import { Graph, layout } from '@dagrejs/dagre'
import { computed } from 'vue'
import type { Pool } from '../../../core/types.ts'

/** Who serves whom: pools as beads, an arrow with the part that one gives to another; their place in the order, which is changed here. */
const props = defineProps<{ pools: Pool[]; network: { pool: string; to: string; share: number }[]; /** the method is step-down: the order of the pools counts */ stepDown: boolean; /** whether the order may be changed here */ movable: boolean }>()
const emit = defineEmits<{ open: [code: string]; move: [code: string, by: number] }>()
const WIDTH = 172
const HEIGHT = 40

const laid = computed(() => {
  const codes = [...new Set(props.network.flatMap(({ pool, to }) => [pool, to]))]
  if (codes.length === 0) return null
  const graph = new Graph({ multigraph: true })
  graph.setGraph({ rankdir: 'LR', nodesep: 34, ranksep: 130, marginx: 12, marginy: 26 })
  graph.setDefaultEdgeLabel(() => ({}))
  for (const code of codes) graph.setNode(code, { width: WIDTH, height: HEIGHT })
  props.network.forEach(({ pool, to, share }) => graph.setEdge(pool, to, { width: 46, height: 16, labelpos: 'c', share }, `${pool} ${to}`))
  layout(graph)
  const { width = 0, height = 0 } = graph.graph() as { width?: number; height?: number }
  const order = props.pools.map(({ code }) => code).filter((code) => codes.includes(code))
  // under an order, a pool gives nothing to those that gave before it
  const isGiven = (from: string, to: string): boolean => !props.stepDown || order.indexOf(from) < order.indexOf(to)
  return {
    last: order.length - 1, width, height: height + (props.stepDown ? 22 : 0),
    nodes: graph.nodes().map((code: string) => ({ code, ...(graph.node(code) as { x: number; y: number }), name: props.pools.find((pool) => pool.code === code)?.name ?? code, place: order.indexOf(code) })),
    edges: graph.edges().map((edge: { v: string; w: string }) => { const { points, x, y, share } = graph.edge(edge) as { points: { x: number; y: number }[]; x: number; y: number; share: number }; return { ...edge, isGiven: isGiven(edge.v, edge.w), path: points.map((point, index) => `${index === 0 ? 'M' : 'L'}${point.x},${point.y}`).join(' '), x, y, share } }),
  }
})
</script>

<template>
  <figure v-if="laid" class="overflow-x-auto" tabindex="0" role="group" aria-label="Who serves whom">
    <svg :width="laid.width" :height="laid.height" :viewBox="`0 0 ${laid.width} ${laid.height}`" data-pool-drawing>
      <defs><marker id="gives" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" markerHeight="8" orient="auto-start-reverse"><path d="M0,0 L8,4 L0,8 z" fill="var(--soft)" /></marker></defs>
      <g v-for="edge in laid.edges" :key="`${edge.v} ${edge.w}`"><path :d="edge.path" fill="none" stroke="var(--rod)" :stroke-width="edge.isGiven ? Math.max(1.2, edge.share * 6) : 1" :stroke-dasharray="edge.isGiven ? undefined : '3 4'" marker-end="url(#gives)" />
        <text :x="edge.x" :y="edge.y - 5" text-anchor="middle" :fill="edge.isGiven ? 'var(--ink)' : 'var(--soft)'" font-size="12">{{ (edge.share * 100).toFixed(1) }} %{{ edge.isGiven ? '' : ', not given' }}</text></g>
      <g v-for="node in laid.nodes" :key="node.code" class="cursor-pointer" role="button" tabindex="0" :aria-label="node.name" @click="emit('open', node.code)" @keydown.enter="emit('open', node.code)">
        <rect :x="node.x - WIDTH / 2" :y="node.y - HEIGHT / 2" :width="WIDTH" :height="HEIGHT" :rx="HEIGHT / 2" fill="var(--page)" stroke="var(--accent)" stroke-width="1.6" />
        <text :x="node.x" :y="node.y + 5" text-anchor="middle" fill="var(--ink)" font-size="13" font-weight="600">{{ node.name.length > 22 ? `${node.name.slice(0, 21)}…` : node.name }}</text>
      </g>
      <template v-if="stepDown"><g v-for="node in laid.nodes" :key="`order ${node.code}`" font-size="12" fill="var(--soft)" text-anchor="middle"><text :x="node.x" :y="node.y + HEIGHT / 2 + 17">{{ node.place + 1 }}</text>
        <text v-if="movable && node.place > 0" class="cursor-pointer" :x="node.x - 40" :y="node.y + HEIGHT / 2 + 17" fill="var(--accent)" role="button" tabindex="0" :aria-label="`${node.name} gives earlier`" @click="emit('move', node.code, -1)" @keydown.enter="emit('move', node.code, -1)">◂ earlier</text>
        <text v-if="movable && node.place < laid.last" class="cursor-pointer" :x="node.x + 40" :y="node.y + HEIGHT / 2 + 17" fill="var(--accent)" role="button" tabindex="0" :aria-label="`${node.name} gives later`" @click="emit('move', node.code, 1)" @keydown.enter="emit('move', node.code, 1)">later ▸</text></g></template>
    </svg>
  </figure>
</template>
