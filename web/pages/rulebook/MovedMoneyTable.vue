<script setup lang="ts">
import { ref } from 'vue'
import type { CostCentre, Pool } from '../../../core/types.ts'
import type { MovedMoney } from '../../../server/features/rulebook/effect.ts'
import { amount, count } from '../../format.ts'
import { placeText } from './words.ts'

defineProps<{ moves: MovedMoney[]; more: number; centres: CostCentre[]; pools: Pool[]; currency: string }>()
const opened = ref<string | null>(null)
const nameOf = ({ from, to }: MovedMoney): string => `${from} ${to}`
</script>

<template>
  <table v-if="moves.length" class="book mt-2"><thead><tr><th>from</th><th>to</th><th class="num">resources</th><th class="num">{{ currency }}</th></tr></thead>
    <tbody v-for="move in moves" :key="nameOf(move)">
      <tr class="cursor-pointer" :data-move="nameOf(move)" @click="opened = opened === nameOf(move) ? null : nameOf(move)"><td><button class="hover:underline" :aria-expanded="opened === nameOf(move)">{{ placeText(move.from, centres, pools) }}</button></td><td>{{ placeText(move.to, centres, pools) }}</td><td class="num">{{ count(move.count) }}</td><td class="num font-semibold">{{ amount(move.amount) }}</td></tr>
      <template v-if="opened === nameOf(move)"><tr v-for="(key, index) in move.keys" :key="index" class="bg-wash/40" data-moved-key><td class="pl-4!" colspan="2">{{ key.name }} <span class="note">{{ key.provider }}, {{ key.service }}</span></td><td /><td class="num">{{ amount(key.amount) }}</td></tr>
        <tr v-if="move.count > move.keys.length"><td class="note pl-4!" colspan="4">and {{ count(move.count - move.keys.length) }} smaller ones</td></tr></template>
    </tbody></table>
  <p v-if="more" class="note">and {{ count(more) }} smaller moves</p>
</template>
