import { useEffect, useRef, useState } from "react";

/** Whether an element was scrolled into sight yet. */
export function useSeen<T extends Element>() {
  const element = useRef<T>(null);
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    if (seen || !element.current) return;
    const watch = new IntersectionObserver((entries) => entries.some((e) => e.isIntersecting) && setSeen(true), { rootMargin: "120px" });
    watch.observe(element.current);
    return () => watch.disconnect();
  }, [seen]);
  return { element, seen };
}
