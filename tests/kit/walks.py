"""Small chains as they are sent to be walked."""


def ask(name, text, writes, **more):
    prompt = {"messages": [{"role": "user", "parts": [{"name": "Task", "text": text}]}]}
    return {"kind": "ask", "name": name, "model": "own", "prompt": prompt, "writes": writes, **more}


def chain(*steps, state=("draft", "final"), outputs=None, **more):
    return {
        "kind": "chain",
        "inputs": [{"name": "message"}],
        "state": [{"name": each} if isinstance(each, str) else each for each in state],
        "steps": list(steps),
        "outputs": outputs or {"final": "final"},
        **more,
    }


DRAFT = ask("write a draft", "Draft: {{ message }}", "draft")
FINAL = ask("make it final", "Final: {{ draft }}", "final")
PAUSE = {
    "kind": "pause", "name": "may it go out", "shows": {"text": "draft"}, "edits": "draft",
    "writes": "said",
}  # fmt: skip
