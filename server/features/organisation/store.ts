import type { CostCentre } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import type { Viewer } from '../../viewer.ts'

export interface BusinessUnit { code: string; name: string; owner: string }

export const readUnits = (queries: Queries): Promise<BusinessUnit[]> => queries.rows<BusinessUnit>('SELECT code, name, owner FROM business_units ORDER BY code')

export const readCentres = (queries: Queries): Promise<CostCentre[]> =>
  queries.rows<CostCentre>('SELECT code, name, unit, owner, ledger_account AS ledgerAccount, valid_from AS validFrom, valid_to AS validTo FROM cost_centres ORDER BY code')

export async function visibleCentres(queries: Queries, viewer: Viewer): Promise<CostCentre[]> {
  const centres = await readCentres(queries)
  return viewer.centres ? centres.filter(({ code }) => viewer.centres!.includes(code)) : centres
}

/** Cost centres that a run, a rule of any version, or the draft refers to: they can be retired but not deleted. */
export async function centreHasMoney(queries: Queries, code: string): Promise<boolean> {
  return (await queries.first('SELECT 1 FROM run_cells WHERE cost_centre = ? LIMIT 1', [code])) !== undefined
}

export async function saveCentre(queries: Queries, centre: CostCentre): Promise<void> {
  await queries.run(
    `INSERT INTO cost_centres (code, name, unit, owner, ledger_account, valid_from, valid_to) VALUES (?)
     ON DUPLICATE KEY UPDATE name = VALUES(name), unit = VALUES(unit), owner = VALUES(owner), ledger_account = VALUES(ledger_account), valid_from = VALUES(valid_from), valid_to = VALUES(valid_to)`,
    [[centre.code, centre.name, centre.unit, centre.owner, centre.ledgerAccount, centre.validFrom, centre.validTo]])
}

export async function saveUnit(queries: Queries, { code, name, owner }: BusinessUnit): Promise<void> {
  await queries.run('INSERT INTO business_units (code, name, owner) VALUES (?) ON DUPLICATE KEY UPDATE name = VALUES(name), owner = VALUES(owner)', [[code, name, owner]])
}
