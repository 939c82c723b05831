import { useEffect } from "react";

/** Rules that are there while a component is shown. */
function sheet() {
  let users = 0;
  let rules: CSSStyleSheet | undefined;
  return {
    add(css: string) {
      users++;
      if (users > 1) return;
      rules = new CSSStyleSheet();
      rules.replaceSync(css);
      document.adoptedStyleSheets = [...document.adoptedStyleSheets, rules];
    },
    remove() {
      users--;
      if (users > 0) return;
      document.adoptedStyleSheets = document.adoptedStyleSheets.filter((s) => s !== rules);
      rules = undefined;
    },
  };
}

/**
 * Stands in for react-style-singleton, by which dialogs keep the page from scrolling: that one writes style elements
 * into the page, which its policy forbids.
 */
export function styleSingleton() {
  const own = sheet();
  // biome-ignore lint/correctness/noComponentHookFactories: what uses it makes its component once, in its module
  return function Sheet({ styles, dynamic }: { styles: string; dynamic?: boolean }) {
    // biome-ignore lint/correctness/useExhaustiveDependencies: rules that do not change are not laid anew
    useEffect(() => {
      own.add(styles);
      return () => own.remove();
    }, [styles && dynamic]);
    return null;
  };
}
