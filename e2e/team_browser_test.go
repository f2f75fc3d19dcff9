package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// reached runs a journey twice: by mouse, and by the keyboard alone.
func reached(t *testing.T, journey func(w *walk, p *process)) {
	for name, keyboard := range map[string]bool{"mouse": false, "keyboard": true} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			p := serve(t, t.TempDir())
			journey(&walk{browser: newBrowserAs(t, p, entered{}), keyboard: keyboard, seen: map[string]int{}}, p)
		})
	}
}

// in signs in by the form that every page shows to who is not.
func (w *walk) in(name, password string) {
	w.t.Helper()
	w.until(`document.querySelector('[autocomplete=username]') !== null`)
	if w.keyboard {
		w.until(`document.activeElement.autocomplete === 'username'`)
		w.keys(name, kb.Tab, password, kb.Enter)
		return
	}
	w.click("[autocomplete=username]", 0)
	w.keys(name)
	w.click("[autocomplete=current-password]", 0)
	w.keys(password)
	w.press("Sign in")
}

// TestPeopleInConsole signs in, lets somebody in, changes what they may do, makes and revokes a token, keeps the list of reasons, and
// checks the history.
func TestPeopleInConsole(t *testing.T) {
	t.Parallel()
	reached(t, func(w *walk, p *process) {
		c := p.client()
		w.mistakes = true // the browser logs what is refused
		w.do(chromedp.Navigate(p.address + "/settings"))
		w.in("ines", "not the password")
		w.says("The name or the password is wrong")
		w.do(chromedp.Navigate(p.address + "/settings"))
		w.in("ines", secret)
		w.says("signed in as ines, admin")

		w.field("name of the person")
		w.keys("Tam O")
		w.press("Add this person")
		w.says("cannot be a person's name")
		w.do(chromedp.Navigate(p.address + "/settings"))
		w.seen = map[string]int{}
		w.field("name of the person")
		w.keys("tam")
		w.press("Add this person")
		w.says("Give tam this link")
		link := w.text(`document.querySelector('.secret').innerText`)
		if _, err := client.New(p.address, "").Enter(t.Context(), link, view.Welcome{Password: secret}); err != nil {
			t.Fatal(err)
		}
		w.field("role of tam")
		w.pick("reader")
		w.until(`!document.querySelector('.ant-select-dropdown:not(.ant-select-dropdown-hidden)')`)
		people := func() string {
			t.Helper()
			list, err := c.People(t.Context())
			if err != nil {
				t.Fatal(err)
			}
			return fmt.Sprint(list.People[1].Name, " ", list.People[1].Role, " ", list.People[1].Active)
		}
		for people() != "tam reader true" {
			if t.Context().Err() != nil {
				t.Fatal("the role does not change")
			}
		}

		w.do(chromedp.Navigate(p.address + "/settings"))
		w.field("what it is for")
		w.keys("nightly")
		w.press("Make a token")
		w.says("Copy it now")
		token := w.text(`document.querySelector('.secret').innerText`)
		if _, err := client.New(p.address, token).Sets(t.Context()); err != nil {
			t.Error(err)
		}
		if w.keyboard {
			w.tabTo("Revoke nightly")
			w.keys(kb.Enter)
		} else {
			w.click(`[aria-label="Revoke nightly"]`, 0)
		}
		w.until(`!document.querySelector('[aria-label="Revoke nightly"]')`)
		if _, err := client.New(p.address, token).Sets(t.Context()); err == nil {
			t.Error("a revoked token works")
		}

		w.field("reasons")
		w.keys("the tide", kb.Enter)
		w.press("Save the reasons")
		w.until(`[...document.querySelectorAll('button')].some((b) => b.innerText === 'Save the reasons' && b.disabled)`)
		if list, err := c.Reasons(t.Context()); err != nil || !strings.Contains(strings.Join(list.Reasons, "|"), "the tide") {
			t.Errorf("%+v, %v", list, err)
		}

		w.do(chromedp.Navigate(p.address + "/activity"))
		w.says("revoked the token nightly")
		w.says("changed the list of reasons")
		w.press("Check the whole history")
		w.says("The history holds: ")
		w.do(chromedp.Navigate(p.address + "/settings"))
		w.press("Sign out")
		w.says("An admin gives you a link")
	})
}

// TestTriageInConsole narrows a report, changes what is chosen by hand and by filter, undoes it, keeps the filter, and makes a link for others.
func TestTriageInConsole(t *testing.T) {
	t.Parallel()
	reached(t, func(w *walk, p *process) {
		c := p.client()
		head := loadDemo(t, c, demo.New(demo.Options{Services: 40}))
		all, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "missing", Limit: 1000})
		if err != nil {
			t.Fatal(err)
		}
		w.mistakes = true // the browser logs that nobody is signed in yet
		w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=missing", p.address, head.ID)))
		w.in("ines", secret)
		w.until(`document.querySelectorAll("[data-entry]").length > 0`)

		// Two by hand.
		for _, e := range all.Entries[:2] {
			w.check(fmt.Sprintf("choose left record %d", e.Left.Number))
		}
		w.begin()
		w.field("status of the chosen")
		w.pick("in progress")
		w.field("owner of the chosen")
		w.pick("me")
		w.press("Change the 2 chosen")
		w.says("2 exceptions are now in progress, owned by ines.")
		w.until(`document.querySelectorAll('.chip.in-progress').length === 2`)

		// All that a filter chooses, and back again.
		w.begin()
		w.field("owner")
		w.pick("nobody")
		rest := int(all.Total) - 2
		w.says(fmt.Sprintf("Change all %d", rest))
		w.field("status of the chosen")
		w.pick("explained")
		w.field("reason of the chosen")
		w.pick("timing")
		w.press(fmt.Sprintf("Change all %d", rest))
		w.says(fmt.Sprintf("%d exceptions are now explained, reason: timing.", rest))
		w.until(fmt.Sprintf(`document.querySelectorAll('.chip.explained').length === %d`, rest))
		w.press("Undo")
		w.says("Undone.")
		w.until(`document.querySelectorAll('.chip.explained').length === 0`)
		if page, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "missing", Status: []string{"in-progress"}}); err != nil || page.Total != 2 {
			t.Errorf("%d in progress, %v", page.Total, err)
		}

		// The filter is kept, and found again when everything is shown.
		w.begin()
		w.press("Saved filters")
		w.until(`document.querySelector('[aria-label="save what is chosen as"]') !== null`)
		w.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('[aria-label="save what is chosen as"]').focus()`))
		w.keys("nobody's", kb.Enter)
		w.says("Saved filters (1)")
		list, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "missing", Owner: "nobody"})
		if err != nil || int(list.Total) != rest {
			t.Errorf("%d, %v", list.Total, err)
		}

		// A link for others, with an end.
		w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, head.ID)))
		w.press("Share")
		w.until(`[...document.querySelectorAll('button')].some((b) => b.innerText.startsWith('Make a link to') && !b.disabled)`)
		w.do(chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll('button')].find((b) => b.innerText.startsWith('Make a link to')).focus()`))
		w.keys(kb.Enter)
		w.says("Copy it now")
		shared := w.text(`document.querySelector('.secret').innerText`)
		if _, err := client.New(p.address, "").Shared(t.Context(), shared[strings.LastIndex(shared, "/")+1:]); err != nil {
			t.Error(err)
		}

		// What is mine is on the page of all exceptions.
		w.do(chromedp.Navigate(p.address + "/exceptions"))
		w.until(`document.querySelector('[data-of=mine]')?.innerText === '2'`)
		w.do(chromedp.Navigate(p.address + "/exceptions?of=mine"))
		w.until(`document.querySelectorAll('.chip.in-progress').length === 2`)
	})
}

// begin goes back to where the page begins.
func (w *walk) begin() {
	w.t.Helper()
	w.seen = map[string]int{}
	w.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('.skip').focus()`))
}
