/** How far down lanes are scrolled where there are more than fit. */
export class LaneScroll {
  #wanted = $state(0);

  constructor(
    /** How high all of them are, and how high what shows them. */
    private readonly all: () => number,
    private readonly shown: () => number,
  ) {}

  most = $derived.by(() => Math.max(this.all() - this.shown(), 0));
  top = $derived.by(() => Math.min(Math.max(this.#wanted, 0), this.most));
  /** Where the thumb beside them stands, and how high it is. */
  thumb = $derived.by(() => ({
    from: (this.top / this.all()) * this.shown(),
    high: (this.shown() / this.all()) * this.shown(),
  }));

  /** Bring a stretch of them into sight. */
  show(from: number, to: number): void {
    if (from < this.top) this.#wanted = from;
    else if (to > this.top + this.shown()) this.#wanted = to - this.shown();
  }

  wheel = (event: WheelEvent): void => {
    if (!this.most || event.ctrlKey || event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) return;
    event.preventDefault();
    event.stopPropagation();
    this.#wanted = Math.min(Math.max(this.top + event.deltaY * 0.5, 0), this.most);
  };
}
