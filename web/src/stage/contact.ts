/** A server that is there says something ten times a second and more; after so long a silence contact is lost. */
export const LOST_MS = 600;
const LOOK_MS = 50;

/** Watches over a line. `quiet`: called again and again while nothing is heard any more, with how long that is. */
export function watchContact(quiet: (ms: number) => void) {
  let last = performance.now();
  const timer = window.setInterval(() => {
    const silent = performance.now() - last;
    if (silent > LOST_MS) quiet(silent);
  }, LOOK_MS);
  return {
    heard: () => {
      last = performance.now();
    },
    stop: () => clearInterval(timer),
  };
}
