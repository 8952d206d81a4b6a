// Builds what ships in tarvik/web/static/vendor: the theme, Alpine's CSP build, Idiomorph, the fonts, and their licences.
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import * as sass from "sass";
import { transformSync } from "esbuild";

const here = dirname(fileURLToPath(import.meta.url));
const out = join(here, "..", "tarvik", "web", "static", "vendor");
const modules = join(here, "node_modules");
mkdirSync(out, { recursive: true });

const faces = [
  ["Atkinson Hyperlegible Next", "atkinson-hyperlegible-next", [400, 600, 700], ["latin", "latin-ext"]],
  ["Zilla Slab", "zilla-slab", [600], ["latin", "latin-ext"]],
];
let css = "";
for (const [family, name, weights, subsets] of faces) {
  const meta = JSON.parse(readFileSync(join(modules, "@fontsource", name, "unicode.json"), "utf8"));
  for (const weight of weights) {
    for (const subset of subsets) {
      const file = `${name}-${subset}-${weight}-normal.woff2`;
      copyFileSync(join(modules, "@fontsource", name, "files", file), join(out, file));
      css += `@font-face{font-family:"${family}";font-weight:${weight};font-display:swap;src:url(${file}) format("woff2");` +
        `unicode-range:${meta[subset]}}`;
    }
  }
  copyFileSync(join(modules, "@fontsource", name, "LICENSE"), join(out, `LICENSE.${name}.txt`));
}
const theme = sass.compile(join(here, "theme.scss"), {
  loadPaths: [modules], silenceDeprecations: ["import", "global-builtin", "color-functions", "if-function"], quietDeps: true,
});
writeFileSync(join(out, "theme.css"), css + transformSync(theme.css, { loader: "css", minify: true }).code);
copyFileSync(join(modules, "@alpinejs", "csp", "dist", "module.esm.min.js"), join(out, "alpine.min.js"));
const morph = readFileSync(join(modules, "idiomorph", "dist", "idiomorph.esm.js"), "utf8");
writeFileSync(join(out, "idiomorph.min.js"), transformSync(morph, { format: "esm", minify: true }).code);
copyFileSync(join(modules, "idiomorph", "LICENSE"), join(out, "LICENSE.idiomorph.txt"));
copyFileSync(join(modules, "bootstrap", "LICENSE"), join(out, "LICENSE.bootstrap.txt"));
// What the checker of the scripts (npm run check) need know of them.
const told = "declare const it: any;\nexport default it;\nexport const Idiomorph: any;\n";
for (const name of ["alpine", "idiomorph"]) writeFileSync(join(out, `${name}.min.d.ts`), told);
writeFileSync(join(out, "LICENSE.alpine.txt"), readFileSync(join(here, "LICENSE.alpine.txt")));
console.log(`built ${out}`);
