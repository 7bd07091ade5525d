/** Elements that had the focus, the last one first. */
const REMEMBERED = 8;

/**
 * The focus is never left on the page's body, where keys go nowhere: when what had it is gone, it goes to what had it before
 * and is still there, or to the page itself.
 */
export function keepFocus(): void {
  const had: HTMLElement[] = [];
  document.addEventListener('focusin', ({ target }) => {
    if (!(target instanceof HTMLElement)) return;
    const before = had.indexOf(target);
    if (before >= 0) had.splice(before, 1);
    had.unshift(target);
    had.length = Math.min(had.length, REMEMBERED);
  });
  const look = (): void => {
    if (document.activeElement !== document.body && document.activeElement !== null) return;
    // Another window or tab has the keys: it comes back by itself.
    if (!document.hasFocus()) return;
    const [last] = had;
    if (!last) return;
    const back = had.find((e) => e.isConnected && e.offsetParent !== null) ?? document.getElementById('main');
    back?.focus({ preventScroll: true });
  };
  let asked = 0;
  const later = (): void => {
    cancelAnimationFrame(asked);
    asked = requestAnimationFrame(look);
  };
  document.addEventListener('focusout', later);
  // What is removed while it has the focus says nothing.
  new MutationObserver(later).observe(document.body, { childList: true, subtree: true });
}
