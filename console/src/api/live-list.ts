import { type Held, keyOf } from './changes'
import { queries } from './queries'

/** A list that the live stream keeps new. An answer that was under way while the stream told something may
 *  be older than that, so what was told meanwhile goes before it. */
export class LiveList<T extends { id: number }> {
  private told: { turn: number; item: T }[] = []
  private turn = 0
  private underWay = 0

  constructor(
    private readonly key: Held,
    private readonly order: (a: T, b: T) => number,
    private readonly keep: (item: T) => boolean = () => true,
  ) {}

  /** Asks for the list. */
  async list(ask: () => Promise<T[] | null>) {
    const begun = this.turn
    this.underWay++
    try {
      const items = (await ask()) ?? []
      return this.merge(
        items,
        this.told.filter((t) => t.turn > begun).map((t) => t.item),
      )
    } finally {
      if (--this.underWay === 0) this.told = []
    }
  }

  /** Takes in items as they are now. */
  tell(items: T[]) {
    this.turn++
    if (this.underWay > 0) this.told.push(...items.map((item) => ({ turn: this.turn, item })))
    queries.setQueryData<T[]>(keyOf(this.key), (old) => old && this.merge(old, items))
  }

  private merge(old: T[], items: T[]) {
    const byID = new Map(old.map((item) => [item.id, item]))
    for (const item of items) byID.set(item.id, item)
    return [...byID.values()].filter(this.keep).sort(this.order)
  }
}
