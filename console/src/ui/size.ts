import { useLayoutEffect, useRef, useState } from 'react'

/** The inner size of an element, followed as it changes. */
export function useSize<E extends HTMLElement>() {
  const ref = useRef<E>(null)
  const [size, setSize] = useState({ width: 0, height: 0 })
  useLayoutEffect(() => {
    const element = ref.current
    if (!element) return
    const measure = () => setSize({ width: element.clientWidth, height: element.clientHeight })
    measure()
    const observer = new ResizeObserver(measure)
    observer.observe(element)
    return () => observer.disconnect()
  }, [])
  return [ref, size] as const
}
