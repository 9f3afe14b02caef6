/** The server's clock: the offset of the answer that took the least time on its way. */
export function serverClock() {
  let best = Infinity;
  let offset: number | undefined;
  return {
    heard: (sent: number, now: number) => {
      const heard = performance.now();
      const way = heard - sent;
      // A clock drifts: an old answer counts a little less with each new one.
      best = Math.min(best * 1.02, Infinity);
      if (way <= best) [best, offset] = [way, now + way / 2 - heard];
    },
    now: () => (offset === undefined ? undefined : performance.now() + offset),
  };
}
