import { useRafFn } from '@vueuse/core'
import { watch } from 'vue'
import { advance, around } from '../model/playback'
import { useWorkbench } from '../useWorkbench'

/** Move the needle on while the workbench is playing. */
export function usePlayback(): void {
  const bench = useWorkbench()
  const { pause, resume } = useRafFn(
    ({ delta }) => {
      const { needle, window, extent } = bench
      if (needle === null || !window || !extent) return
      const played = bench.looping
        ? around(needle, window, bench.pace, delta)
        : advance(needle, window, bench.pace, delta, extent)
      bench.point(played.needle)
      if (played.window !== window) bench.slide(played.window)
      if (played.ended) bench.play(false)
    },
    { immediate: false },
  )
  watch(
    () => bench.playing,
    (playing) => {
      if (playing) resume()
      else pause()
    },
  )
}
