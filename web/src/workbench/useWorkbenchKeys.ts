import type { Ref } from 'vue'
import { useKeys } from '../replay/useKeys'
import { useSettings } from '../settings/useSettings'
import { usePreferences } from '../usePreferences'
import { useHistory } from '../useHistory'
import { useWorkbench } from '../useWorkbench'
import type { Session } from './session'

/** What the keys open and close. */
export interface Panels {
  map: Ref<boolean>
  find: Ref<boolean>
  help: Ref<boolean>
}

/** Everything that the mouse can do, by keys. */
export function useWorkbenchKeys({ isLive, moves }: Session, panels: Panels): void {
  const bench = useWorkbench()
  const history = useHistory()
  const { toggleZone, toggleTheme } = usePreferences()
  const { open: openSettings } = useSettings()
  const { step, pan, zoom, jump, jumpGap } = moves
  useKeys({
    play: () => {
      bench.play(!bench.playing)
    },
    back: () => {
      step(-1)
    },
    forward: () => {
      step(1)
    },
    earlier: () => {
      pan(-0.5)
    },
    later: () => {
      pan(0.5)
    },
    closer: () => {
      zoom(0.5)
    },
    wider: () => {
      zoom(2)
    },
    whole: () => {
      if (bench.extent) bench.look(bench.extent)
    },
    windowBefore: () => {
      bench.lookBack()
    },
    windowAfter: () => {
      bench.lookForward()
    },
    undo: () => {
      history.undo()
    },
    redo: () => {
      history.redo()
    },
    map: () => {
      panels.map.value = !panels.map.value
    },
    find: () => {
      panels.find.value = true
    },
    mark: () => {
      bench.toggleMark()
    },
    loop: () => {
      bench.loop(!bench.looping)
    },
    pin: () => {
      bench.pin()
    },
    next: () => {
      jump(1)
    },
    previous: () => {
      jump(-1)
    },
    nextGap: () => {
      jumpGap(1)
    },
    slower: () => {
      bench.changePace(-1)
    },
    faster: () => {
      bench.changePace(1)
    },
    follow: () => {
      if (isLive.value) bench.follow(!bench.following)
    },
    zone: toggleZone,
    theme: toggleTheme,
    settings: openSettings,
    help: () => {
      panels.help.value = true
    },
  })
}
