import { ExactSums } from '../charges/exactSums.ts'
import { BASES, type Amounts, type Basis } from '../types.ts'
import { AmountColumns } from './packedTable.ts'

/** Exact sums by slot of rows that stand in columns, and of parts of rows, on both costs. */
export class OutcomeSums {
  private readonly sums: Record<Basis, ExactSums> = { billed: new ExactSums(), effective: new ExactSums() }

  addRow(slot: number, columns: Record<Basis, AmountColumns>, row: number): void {
    for (const basis of BASES) this.sums[basis].add(slot, columns[basis].wholes[row]!, columns[basis].fractions[row]!)
  }

  addPart(slot: number, amounts: Amounts): void {
    for (const basis of BASES) {
      const { wholes, fractions } = AmountColumns.of([amounts[basis]])
      this.sums[basis].add(slot, wholes[0]!, fractions[0]!)
    }
  }

  /** In 10^-10 of the currency. */
  amounts(slot: number): Amounts {
    return { billed: this.sums.billed.units(slot), effective: this.sums.effective.units(slot) }
  }
}
