/** The page that asks for a key. A link carries it behind '#', which browsers keep to themselves. */
export function enterPage(nonce: string, problem?: string): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Zafiro: key</title><meta name="viewport" content="width=device-width">
<style nonce="${nonce}">
body { background: #262626; color: #e6e6e6; font: 15px/1.5 system-ui, sans-serif; display: grid; place-items: center; min-height: 100vh; margin: 0 }
form { width: 22rem; display: grid; gap: .75rem }
h1 { font-size: 1.1rem; margin: 0 }
p { margin: 0; color: #b5b5b5 }
p[role=alert] { color: #ff9b9b }
input, button { font: inherit; padding: .5rem .75rem; border: 1px solid #5a5a5a; background: #1d1d1d; color: inherit; border-radius: .25rem }
button { background: #3b62c4; border-color: #3b62c4; color: #fff }
:focus-visible { outline: 2px solid #8fb0ff; outline-offset: 2px }
</style></head><body>
<form method="post" action="/enter">
<h1>Zafiro asks for a key</h1>
<p>The link that the start printed holds one. <code>npx zafiro key new</code>, on the machine that it runs on, makes another.</p>
${problem === undefined ? '' : `<p role="alert">${problem}</p>`}
<input name="key" type="password" aria-label="Key" autocomplete="off" required autofocus>
<button>Enter</button>
</form>
<script nonce="${nonce}">
const key = decodeURIComponent(location.hash.slice(1))
if (key) { history.replaceState(null, '', '/enter'); document.forms[0].key.value = key; document.forms[0].submit() }
</script></body></html>`
}

/** Leads on to the shots from a page of this server, so that a strict cookie is sent with it. */
export function enteredPage(): string {
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Zafiro</title><meta http-equiv="refresh" content="0;url=/"></head>
<body><a href="/">Shots</a></body></html>`
}
