package e2e

import "fmt"

// heldNetwork is what a page's requests go through, once it is put in place: each can be held up and made to fail, and answers come in another order
// than the requests went. It keeps count of what is under way.
const heldNetwork = `(() => {
	const real = window.fetch;
	const net = window.net = { pending: 0, delay: 0, fail: 0, rules: [], sent: [] };
	const wait = (ms) => new Promise((go) => setTimeout(go, ms));
	window.fetch = async (input, init) => {
		net.pending++;
		try {
			const request = new Request(input, init);
			const path = new URL(request.url).pathname + new URL(request.url).search;
			const body = request.method === 'GET' ? '' : await request.clone().text().catch(() => '');
			net.sent.push({ method: request.method, path, body });
			const rule = net.rules.find((r) => r.method === request.method && path.includes(r.path) && (r.times = (r.times ?? 1e9) - 1) >= 0);
			const delay = rule?.delay ?? Math.random() * net.delay;
			if (rule?.fail || (request.method === 'GET' && Math.random() < net.fail)) {
				await wait(delay);
				throw new TypeError('the network has failed');
			}
			const response = await real(request);
			await wait(delay);
			return response;
		} finally {
			net.pending--;
		}
	};
})()`

// hinder holds up the answers to all requests from now on, for up to so many milliseconds, and lets one reading in twenty fail.
// TWINSIEVE_DELAY makes the network slower.
func (b *browser) hinder() {
	b.t.Helper()
	b.text(fmt.Sprintf(`(window.net.delay = %d, window.net.fail = 0.05, '')`, longer(b.t, "TWINSIEVE_DELAY", 400)))
}

// slow holds up the answers to the next requests of a kind, so many of them.
func (b *browser) slow(method, path string, milliseconds, times int) {
	b.t.Helper()
	b.text(fmt.Sprintf(`(window.net.rules.unshift({method: %q, path: %q, delay: %d, times: %d}), '')`, method, path, milliseconds, times))
}

// fails lets the next requests of a kind fail, so many of them.
func (b *browser) fails(method, path string, times int) {
	b.t.Helper()
	b.text(fmt.Sprintf(`(window.net.rules.unshift({method: %q, path: %q, delay: 0, fail: true, times: %d}), '')`, method, path, times))
}

// sent counts the requests of a kind that have been sent, and gives the body of the last.
func (b *browser) sent(method, path string) (count int, body string) {
	b.t.Helper()
	text := b.text(fmt.Sprintf(`(() => { const s = window.net.sent.filter((r) => r.method === %q && r.path.includes(%q)); return s.length + ' ' + (s.at(-1)?.body ?? ''); })()`, method, path))
	_, _ = fmt.Sscanf(text, "%d", &count)
	for i, c := range text {
		if c == ' ' {
			return count, text[i+1:]
		}
	}
	return count, ""
}

// quiet waits until no request is under way.
func (b *browser) quiet() {
	b.t.Helper()
	b.until(`window.net.pending === 0 && !document.querySelector('.ant-spin-spinning')`)
}
