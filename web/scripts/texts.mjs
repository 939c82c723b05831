// Lists the texts of the console, one a line: file, line and text, separated by tabs. {} stands for a value.
import ts from "typescript";
import { readFileSync, readdirSync } from "node:fs";

const files = readdirSync("src", { recursive: true })
  .filter((f) => /\.tsx?$/.test(f) && !f.endsWith(".gen.ts"))
  .sort();

// Attributes that hold names, not words.
const names =
  /^(className|to|type|key|id|role|href|rel|htmlFor|name|autoComplete|inputMode|target|d|viewBox|scope|as|value)$/;
const words = /[A-Za-z]{2}.* .*[A-Za-z]{2}|^[A-Z][a-z]+[.…?]?$/;
const classes = /(^|\s)(flex|grid|block|inline|num|field|act)\b|\b(px|py|mt|mb|text|border|bg|gap|min|max)-/;

/** The attribute that a literal belongs to; empty: none. */
function attributeOf(node) {
  for (let n = node.parent; n && !ts.isBlock(n); n = n.parent) if (ts.isJsxAttribute(n)) return n.name.getText();
  return "";
}

/** Whether a literal is compared or looked up, not shown. */
function isName(node) {
  const p = node.parent;
  return (
    ts.isLiteralTypeNode(p) ||
    ts.isElementAccessExpression(p) ||
    ts.isCaseClause(p) ||
    (ts.isPropertyAssignment(p) && p.name === node) ||
    (ts.isBinaryExpression(p) && /[!=]==/.test(p.operatorToken.getText()))
  );
}

/** The text of an element with {} for what is computed or an element of its own. */
const whole = (element) =>
  element.children
    .map((c) => (ts.isJsxText(c) ? c.text : ts.isJsxExpression(c) && !c.expression ? "" : "{}"))
    .join("")
    .replace(/\s+/g, " ")
    .trim();

for (const name of files) {
  const file = `src/${name}`;
  const kind = name.endsWith("x") ? ts.ScriptKind.TSX : ts.ScriptKind.TS;
  const source = ts.createSourceFile(file, readFileSync(file, "utf8"), ts.ScriptTarget.Latest, true, kind);
  const show = (node, text) => {
    const { line } = source.getLineAndCharacterOfPosition(node.getStart());
    console.log(`web/${file}\t${line + 1}\t${text.replace(/\s+/g, " ")}`);
  };
  const visit = (node) => {
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) return;
    if ((ts.isJsxElement(node) || ts.isJsxFragment(node)) && /[A-Za-z]{2}/.test(whole(node).replaceAll("{}", ""))) {
      show(node, whole(node));
    } else if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) {
      const shown = !names.test(attributeOf(node)) && !isName(node) && words.test(node.text);
      if (shown && !classes.test(node.text)) show(node, node.text);
    } else if (ts.isTemplateExpression(node) && !names.test(attributeOf(node))) {
      const text = node.head.text + node.templateSpans.map((s) => `{}${s.literal.text}`).join("");
      if (/[a-z] |[}] [a-z]/.test(text) && !classes.test(text)) show(node, text);
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
}
