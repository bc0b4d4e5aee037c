<script lang="ts">
/** An answer's Markdown, drawn as elements. HTML in it is shown as the text it is, never run. */
import { lexer, type Token, type Tokens } from "marked";
import { defineComponent, h, type VNodeChild } from "vue";

function all(tokens: Token[] | undefined): VNodeChild[] {
  return (tokens ?? []).map(one);
}

function one(token: Token): VNodeChild {
  switch (token.type) {
    case "heading":
      return h(`h${Math.min(6, (token as Tokens.Heading).depth + 2)}`, { class: "mt-3 mb-1 font-sans font-semibold" }, all(token.tokens));
    case "paragraph":
      return h("p", { class: "mb-2" }, all(token.tokens));
    case "strong":
      return h("strong", { class: "font-semibold" }, all(token.tokens));
    case "em":
      return h("em", all(token.tokens));
    case "del":
      return h("del", all(token.tokens));
    case "br":
      return h("br");
    case "hr":
      return h("hr", { class: "my-2 border-rule" });
    case "codespan":
      return h("code", { class: "font-mono text-sm bg-paper px-1" }, decoded(token.text as string));
    case "code":
      return h("pre", { class: "my-2 overflow-auto border border-rule bg-white p-2 font-mono text-sm" }, (token as Tokens.Code).text);
    case "blockquote":
      return h("blockquote", { class: "my-2 border-l-2 border-rule pl-3 text-ink-2" }, all(token.tokens));
    case "list": {
      const list = token as Tokens.List;
      const kind = list.ordered ? "ol" : "ul";
      const items = list.items.map((item) => h("li", { class: "mb-0.5" }, all(item.tokens)));
      return h(kind, { class: `mb-2 ml-5 ${list.ordered ? "list-decimal" : "list-disc"}`, start: list.start || undefined }, items);
    }
    case "link":
      // Where it leads is shown, not followed: an answer is not to be trusted.
      return h("span", { class: "underline decoration-dotted", title: (token as Tokens.Link).href }, all(token.tokens));
    case "table": {
      const table = token as Tokens.Table;
      const cell = (kind: string) => (each: Tokens.TableCell) => h(kind, { class: "border border-rule px-2 py-1 text-left" }, all(each.tokens));
      return h("table", { class: "my-2 border-collapse text-base" }, [
        h("thead", h("tr", table.header.map(cell("th")))),
        h("tbody", table.rows.map((row) => h("tr", row.map(cell("td"))))),
      ]);
    }
    case "space":
      return null;
    case "text":
      return "tokens" in token && token.tokens ? all(token.tokens) : decoded((token as Tokens.Text).text);
    case "escape":
      return (token as Tokens.Escape).text;
    default:
      return token.raw; // HTML, images, and what a later version of the parser may know
  }
}

/** The parser writes `&amp;` for `&`; elements here are given plain text. */
function decoded(text: string): string {
  const names: Record<string, string> = { "&amp;": "&", "&lt;": "<", "&gt;": ">", "&quot;": '"', "&#39;": "'" };
  return text.replace(/&(amp|lt|gt|quot|#39);/g, (name) => names[name] ?? name);
}

export function looksLikeMarkdown(text: string): boolean {
  return /^(#{1,6} |[-*+] |\d+[.)] |> |```|\|.+\|)/m.test(text) || /\*\*[^*\n]+\*\*|`[^`\n]+`/.test(text);
}

export default defineComponent({
  props: { text: { type: String, required: true } },
  setup: (props) => () => h("div", { class: "break-words" }, all(lexer(props.text))),
});
</script>
