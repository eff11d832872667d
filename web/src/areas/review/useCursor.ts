/** The product that is looked at, as the keys have moved to it: the address comes after them. */
import { useEffect, useRef } from "react";

/** Where one is, and how to go on. What is pressed next is about where the last key went. */
export function useCursor(product: string, onProduct: (key: string) => void) {
  const at = useRef(product);
  /** Where one is going to, until the address says so. */
  const ahead = useRef<string | null>(null);
  useEffect(() => {
    if (ahead.current !== null && ahead.current !== product) return;
    at.current = product;
    ahead.current = null;
  }, [product]);
  return {
    here: () => at.current,
    go: (key: string) => {
      if (key === at.current && ahead.current === null) return;
      at.current = ahead.current = key;
      onProduct(key);
    },
  };
}
