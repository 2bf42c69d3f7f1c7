import { useEffect } from "react";
import { api } from "../../api/client";
import { bench, camera, useBench, type Vec } from "../../model/bench";
import { forgetStale, own, usePresence } from "../../model/presence";

const sayEveryMs = 7000;
const sayAfterMs = 250;
const followMs = 400;
const lookEveryMs = 1000;
const mostSelected = 500;

function say(id: string, leaving = false) {
  const now = camera.now?.();
  const body = { client: own, selection: bench.get().selection.slice(0, mostSelected), ...(now ? { camera: now } : {}), ...(leaving ? { leaving } : {}) };
  // Whoever does not hear it hears the next one.
  api.POST("/api/v1/levels/{id}/presence", { params: { path: { id } }, body, keepalive: leaving }).catch(() => undefined);
}

/** Tells others on the level what is looked at here: once when it is opened, and for as long as
 *  anybody else has it open, who answers when they hear of somebody new. */
export function useSayPresence(id: string) {
  const selection = useBench((s) => s.selection);
  const others = usePresence((s) => Object.keys(s.others).sort().join());
  useEffect(() => {
    const soon = setTimeout(() => say(id), sayAfterMs); // once its events are heard
    const leave = () => say(id, true);
    addEventListener("pagehide", leave);
    return () => {
      clearTimeout(soon);
      removeEventListener("pagehide", leave);
      leave();
      usePresence.setState({ others: {}, following: null });
    };
  }, [id]);
  useEffect(() => {
    if (!others) return;
    const timer = setTimeout(() => say(id), sayAfterMs);
    return () => clearTimeout(timer);
  }, [id, selection, others]);
  useEffect(() => {
    if (!others) return;
    const again = setInterval(() => {
      say(id);
      forgetStale(Date.now());
    }, sayEveryMs);
    return () => clearInterval(again);
  }, [id, others]);
  useSayWhileMoved(id, others === "");
  useFollowing();
}

/** While others are here, they are told soon where the camera went. */
function useSayWhileMoved(id: string, alone: boolean) {
  useEffect(() => {
    if (alone) return;
    let was = "";
    const timer = setInterval(() => {
      const now = JSON.stringify(camera.now?.() ?? null);
      if (now !== was && was) say(id);
      was = now;
    }, lookEveryMs);
    return () => clearInterval(timer);
  }, [id, alone]);
}

/** Keeps the camera where the camera of the one who is followed is. */
function useFollowing() {
  const followed = usePresence((s) => (s.following ? s.others[s.following]?.camera : undefined));
  useEffect(() => {
    if (!followed) return;
    const timer = setTimeout(() => {
      const [x, y, z, w] = followed.rotation as [number, number, number, number];
      const forward = [-2 * (x * z + w * y), -2 * (y * z - w * x), -(1 - 2 * (x * x + y * y))];
      bench.fly(followed.position as Vec, followed.position.map((v, i) => v + 6 * forward[i]!) as Vec, followed.fov_deg);
    }, followMs);
    return () => clearTimeout(timer);
  }, [followed]);
}
