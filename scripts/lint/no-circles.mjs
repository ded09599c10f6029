// A lint rule: in every folder below packages/*/src, what lies in it (files and folders) must not import each other in a circle, types included.
// Two files that need each other are one thing, and two rooms that need each other have no floor between them.
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import path from 'node:path';
import ts from 'typescript';

/** Every source file below a folder. */
function filesBelow(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const file = path.join(folder, entry.name);
    return entry.isDirectory() ? filesBelow(file) : /\.tsx?$/.test(entry.name) ? [file] : [];
  });
}

function resolved(from, specifier) {
  if (!specifier.startsWith('.')) return null;
  const base = path.resolve(path.dirname(from), specifier);
  return [base, `${base}.ts`, `${base}.tsx`, path.join(base, 'index.ts')].find((f) => existsSync(f) && statSync(f).isFile()) ?? null;
}

/** By file: the files that it imports, whether values or types. */
function importsOf(files) {
  return new Map(
    files.map((file) => {
      const { importedFiles } = ts.preProcessFile(readFileSync(file, 'utf8'), true, false);
      return [file, importedFiles.map(({ fileName }) => resolved(file, fileName)).filter((f) => f !== null)];
    }),
  );
}

/** By folder: for each two of its entries the imports that lead from the first to the second. */
function edgesByFolder(imports, top) {
  const folders = new Map();
  for (const [file, targets] of imports) {
    const from = path.relative(top, file).split(path.sep);
    for (const target of targets) {
      const to = path.relative(top, target).split(path.sep);
      if (to[0] === '..') continue;
      let depth = 0;
      while (depth < from.length - 1 && from[depth] === to[depth]) depth++;
      if (from[depth] === to[depth]) continue;
      const folder = from.slice(0, depth).join('/');
      const edges = folders.get(folder) ?? new Map();
      const outgoing = edges.get(from[depth]) ?? new Map();
      outgoing.set(to[depth], [...(outgoing.get(to[depth]) ?? []), { file, target }]);
      edges.set(from[depth], outgoing);
      folders.set(folder, edges);
    }
  }
  return folders;
}

/** The shortest way from one entry back to it by way of another; null when there is none. */
function wayBack(edges, start, first) {
  const came = new Map([[first, null]]);
  for (const at of came.keys()) {
    if (at === start) {
      const way = [];
      for (let step = at; step !== null; step = came.get(step)) way.unshift(step);
      return [start, ...way];
    }
    for (const next of (edges.get(at) ?? new Map()).keys()) if (!came.has(next)) came.set(next, at);
  }
  return null;
}

/** Every import that lies on a circle, by file: what it imports, and the circle in words. */
export function circlesIn(top) {
  const found = new Map();
  for (const [folder, edges] of edgesByFolder(importsOf(filesBelow(top)), top))
    for (const [from, outgoing] of edges)
      for (const [to, imports] of outgoing) {
        const way = wayBack(edges, from, to);
        if (way === null) continue;
        for (const { file, target } of imports)
          found.set(file, [...(found.get(file) ?? []), { target, message: `in ${folder || 'src'}: ${way.join(' -> ')}` }]);
      }
  return found;
}

const known = new Map();

export const noCircles = {
  meta: { type: 'problem', schema: [], messages: { circle: 'this import closes a circle {{circle}}' } },
  create(context) {
    const match = /^(.*[\\/]packages[\\/][^\\/]+[\\/]src)[\\/]/.exec(context.filename);
    if (match === null) return {};
    const top = match[1];
    if (!known.has(top)) known.set(top, circlesIn(top));
    const circles = known.get(top).get(context.filename) ?? [];
    const check = (node) => {
      if (!node.source) return;
      const target = resolved(context.filename, node.source.value);
      const circle = circles.find((c) => c.target === target);
      if (circle) context.report({ node, messageId: 'circle', data: { circle: circle.message } });
    };
    return { ImportDeclaration: check, ExportNamedDeclaration: check, ExportAllDeclaration: check };
  },
};
