import { isMonth } from '../../../core/calendar/month.ts'
import type { CostCentre } from '../../../core/types.ts'
import { readTable, writeTable } from '../../csvTable.ts'
import { invalid } from '../../refusal.ts'
import type { BusinessUnit } from './store.ts'

const HEAD = ['unit', 'unit_name', 'unit_owner', 'cost_centre', 'name', 'owner', 'ledger_account', 'valid_from', 'valid_to']

const LONGEST = { unit: 32, unit_name: 200, unit_owner: 200, cost_centre: 32, name: 200, owner: 200, ledger_account: 64 }

export function writeOrganisation(units: readonly BusinessUnit[], centres: readonly CostCentre[]): string {
  return writeTable(HEAD, centres.map((centre) => {
    const unit = units.find(({ code }) => code === centre.unit)!
    return [unit.code, unit.name, unit.owner, centre.code, centre.name, centre.owner, centre.ledgerAccount, centre.validFrom ?? '', centre.validTo ?? '']
  }))
}

/** Reads an organisation; every bad line is named, and then nothing is taken. */
export function readOrganisation(text: string): { units: BusinessUnit[]; centres: CostCentre[] } {
  const { rows, problems } = readTable(text, HEAD)
  const units = new Map<string, BusinessUnit>()
  const centres = new Map<string, CostCentre>()
  for (const { line, values } of rows) {
    const { unit, cost_centre: code, name } = values as Record<string, string>
    for (const column of ['unit', 'unit_name', 'cost_centre', 'name']) if (!values[column]) problems.push(`line ${line}: ${column} is empty`)
    for (const [column, most] of Object.entries(LONGEST)) if (values[column]!.length > most) problems.push(`line ${line}: ${column} is longer than ${most} characters`)
    for (const column of ['valid_from', 'valid_to']) if (values[column] && !isMonth(values[column])) problems.push(`line ${line}: ${column} is not written YYYY-MM`)
    if (values.valid_from && values.valid_to && values.valid_from > values.valid_to) problems.push(`line ${line}: valid_from is after valid_to`)
    if (centres.has(code!)) problems.push(`line ${line}: cost centre ${code} is there twice`)
    const known = units.get(unit!)
    if (known && (known.name !== values.unit_name || known.owner !== values.unit_owner)) problems.push(`line ${line}: business unit ${unit} has another name or owner than in a line before`)
    if (!known) units.set(unit!, { code: unit!, name: values.unit_name!, owner: values.unit_owner! })
    centres.set(code!, { code: code!, name: name!, unit: unit!, owner: values.owner!, ledgerAccount: values.ledger_account!, validFrom: values.valid_from || null, validTo: values.valid_to || null })
  }
  if (problems.length > 0) throw invalid(`The organisation was not taken: ${problems.slice(0, 5).join('; ')}.`, { problems })
  return { units: [...units.values()], centres: [...centres.values()] }
}
