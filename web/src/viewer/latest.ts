// One request at a time, and after it the newest wish; wishes in between are left out.
export class Latest<T> {
  private next: T | null = null
  private busy = false

  constructor(private readonly run: (wish: T) => Promise<void>) {}

  want(wish: T) {
    this.next = wish
    if (!this.busy) void this.work()
  }

  private async work() {
    this.busy = true
    while (this.next !== null) {
      const wish = this.next
      this.next = null
      // What went wrong with one wish says nothing about the next.
      await this.run(wish).catch(() => undefined)
    }
    this.busy = false
  }
}
