import { expect, it } from 'vitest'
import type { StrainRow } from '../api/client'
import { worstRow } from './worst'

const aRow = (mean: (number | null)[] | null): StrainRow => ({
  measure: 'cpu.strain',
  resource: 'processor',
  device: null,
  has_devices: true,
  help: '',
  formula: '',
  inputs: [],
  mean,
  high: mean?.map((value) => (value === null ? null : value + 1)) ?? null,
})

it('is the row that was pressed hardest at each time', () => {
  const worst = worstRow([aRow([1, 50, null]), aRow(null), aRow([20, 3, null])])
  expect(worst).toEqual({ mean: [20, 50, null], high: [21, 51, null] })
  expect(worstRow([])).toEqual({ mean: [], high: [] })
})
