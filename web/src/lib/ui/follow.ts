/** Follow the pointer from a press until it is let go, wherever it goes. Escape lets go without keeping. */
export function follow(
  press: PointerEvent,
  hand: {
    /** It moved: the event, and how far from the press. Not called before it has moved `slack` pixels. */
    moved: (event: PointerEvent, dx: number, dy: number) => void;
    /** It was let go; `moved` tells a drag from a click. */
    done?: (moved: boolean) => void;
    dropped?: () => void;
    slack?: number;
  },
): void {
  let far = false;
  const move = (event: PointerEvent) => {
    const [dx, dy] = [event.clientX - press.clientX, event.clientY - press.clientY];
    far ||= Math.hypot(dx, dy) >= (hand.slack ?? 3);
    if (far) hand.moved(event, dx, dy);
  };
  const stop = () => {
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", up);
    window.removeEventListener("keydown", escape, true);
  };
  const up = () => {
    stop();
    hand.done?.(far);
  };
  const escape = (key: KeyboardEvent) => {
    if (key.key !== "Escape") return;
    key.stopPropagation();
    stop();
    hand.dropped?.();
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", up);
  window.addEventListener("keydown", escape, true);
}
