import type { Entry } from '../find/entries'
import { planOfMeasures } from '../model/layouts'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import type { Session } from './session'
import { TABS } from './useMoves'

/** What is done with what was found: a time is gone to, a layout shown, a measure added, processes listed. */
export function useFound({ charted, moves }: Session): (entry: Entry) => void {
  const bench = useWorkbench()
  const board = useStrips()
  return (entry) => {
    if (entry.kind === 'time') {
      moves.goTo(entry.at)
      bench.tab = TABS.moment
    }
    if (entry.kind === 'span') bench.look(entry.span)
    if (entry.kind === 'layout') board.choose(entry.layout)
    if (entry.kind === 'measure') {
      const plan = planOfMeasures([entry.measure.name], charted.value)
      if (plan)
        board.add(plan, entry.device === null ? {} : { devices: { kind: 'named', names: [entry.device] } })
    }
    if (entry.kind === 'processes') {
      bench.processFilter = entry.text
      bench.tab = TABS.moment
      if (bench.needle === null && bench.window) bench.point((bench.window.start + bench.window.end) / 2)
    }
  }
}
