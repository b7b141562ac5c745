import { computed, ref, type Ref } from 'vue'
import { PAD, outOfSight, type Column } from './geometry'

const MARGIN = 120 // how much of the neighbouring lane is shown beside one that is scrolled to

/** Scrolling the lanes from side to side. */
export function useSideways(
  box: Readonly<Ref<HTMLElement | null>>,
  columns: Ref<Column[]>,
  width: Ref<number>,
) {
  const scrolled = ref(0)

  /** Bring a lane into sight. */
  function showLane(lane: number, smooth = true) {
    const column = columns.value[lane]
    const shown = box.value
    if (!column || !shown) return
    const behavior = smooth ? 'smooth' : 'auto'
    if (column.left < shown.scrollLeft + PAD) {
      shown.scrollTo({ left: column.left - MARGIN, behavior })
    } else if (column.right > shown.scrollLeft + shown.clientWidth - PAD) {
      shown.scrollTo({ left: column.right - shown.clientWidth + MARGIN, behavior })
    }
  }

  /** Bring what is asked about to the middle. */
  function centre() {
    const column = columns.value.find((one) => one.offset === 0)
    if (column && box.value) {
      box.value.scrollLeft = column.left + column.width / 2 - box.value.clientWidth / 2
    }
  }

  function slide(by: -1 | 1) {
    box.value?.scrollBy({ left: by * width.value * 0.6, behavior: 'smooth' })
  }

  const outside = computed(() => outOfSight(columns.value, scrolled.value, width.value))
  return { centre, outside, scrolled, showLane, slide }
}
