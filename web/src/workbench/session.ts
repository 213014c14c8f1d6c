import { inject, provide, type ComputedRef, type InjectionKey, type Ref } from 'vue'
import type { ApiError, Archive } from '../api/client'
import { useArchive } from '../api/queries'
import type { DeviceRef } from '../model/layouts'
import { useJudgement, type Judgement } from './useJudgement'
import { useKnown, type ChartedMeasure } from './useKnown'
import { useMoves, type Moves } from './useMoves'
import { useOpening } from './useOpening'
import { useWindowData, type WindowData } from './useWindowData'

/** The archive that the workbench has open, and what is known of it, for every component below. */
export interface Session {
  id: Ref<string>
  archive: Ref<Archive | undefined>
  error: Ref<ApiError | null>
  isPending: Ref<boolean>
  isLive: Ref<boolean>
  /** What this archive can give, counters included. */
  charted: ComputedRef<ChartedMeasure[]>
  /** The cores, disks and interfaces that can be looked at alone. */
  devices: ComputedRef<DeviceRef[]>
  window: WindowData
  judgement: Judgement
  moves: Moves
}

export const SESSION: InjectionKey<Session> = Symbol('the archive that is open')

export function provideSession(id: Ref<string>): Session {
  const { data: archive, error, isPending } = useArchive(id)
  const { catalogue, others, hasProcessor, charted, devices } = useKnown(id)
  const { isLive } = useOpening(id, archive, catalogue, others, hasProcessor)
  const window = useWindowData(id)
  const judgement = useJudgement(id, archive, window)
  const moves = useMoves(archive, window.set, judgement.diagnosis, judgement.gapSpans)
  const session = { id, archive, error, isPending, isLive, charted, devices, window, judgement, moves }
  provide(SESSION, session)
  return session
}

export function useSession(): Session {
  const session = inject(SESSION)
  if (!session) throw new Error('the open archive is provided by the workbench')
  return session
}
