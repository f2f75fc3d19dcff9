package e2e

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	browserdomain "github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"

	"twinsieve/client"
	"twinsieve/core/sieve"
)

// marchBills is a file as an office sends it: semicolons, decimal commas, Windows-1252, a trailer, and one line that is none.
func marchBills(t *testing.T, amount string) string {
	t.Helper()
	var text strings.Builder
	text.WriteString("Voyage Call;Invoiced On;Svc;" + amount + ";Schiff\n")
	for n := range 30 {
		note := "Żuraw"
		if n%3 > 0 {
			note = "Île d’Or"
		}
		if n == 7 {
			note = "n/a"
		}
		fmt.Fprintf(&text, "MW-%05d;%02d/%02d/2031;TUG;%d.%03d,50;%s\n", 4400+n, 1+n%12, 1+n%9, 1+n%2, 100+n, strings.ReplaceAll(note, "Ż", "Z"))
	}
	text.WriteString("MW-1;only two\nTOTAL;30\n")
	file := filepath.Join(t.TempDir(), "march.csv")
	coded, err := charmap.Windows1252.NewEncoder().String(text.String())
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(coded), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

// TestIntake drops a file as an office sends it, changes a guess, loads it and reads the profile; pastes cells; and loads the
// set again with a column renamed: once with the mouse, once with the keyboard alone.
func TestIntake(t *testing.T) {
	t.Parallel()
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard alone"}[keyboard], func(t *testing.T) {
			t.Parallel()
			p := serve(t, t.TempDir())
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.do(chromedp.Navigate(p.address + "/sets"))
			w.says("There are no record sets yet")
			first := marchBills(t, "Amount")
			if keyboard {
				w.press("Drop files here")
				w.choose(first)
			} else {
				w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{first}))
			}
			// Everything is found, and what is a guess says so.
			w.says("semicolon")
			w.says("windows-1252")
			w.says("date? DD/MM/YYYY or MM/DD/YYYY")
			w.says("decimal comma")
			w.says("Line 33 is a footer and no record: TOTAL;30")
			w.says("line 32: 2 cells where 5 columns are named")
			w.says("1 cell is n/a")
			w.shoot("intake-preview.png")
			// One guess is changed, and looked at at once; then it is changed back.
			w.choice("columns named by", "no line", kb.ArrowDown)
			w.says("column 1")
			w.choice("columns named by", "the first line", kb.ArrowUp)
			w.until(`!document.body.innerText.includes('column 1')`)
			// What could be either day is decided by a person.
			w.choice("type of Invoiced On", "date DD/MM/YYYY", kb.ArrowDown)
			w.until(`!document.body.innerText.includes('date?')`)
			w.press("Take n/a as blank")
			w.says("blank (n/a)")
			w.field("records that the sender states")
			w.keys("31")
			w.press("A line of the file states them")
			w.field("its cell with the count")
			w.keys("2")
			w.press("Load")
			w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 1`)
			w.says("✗ control figures")
			w.press("march")
			w.says("control figure missed: records stated 31 (typed in), found 30")
			w.says("control figure holds: records stated 30 (line 33), found 30")
			w.says("1 blank marker")
			w.says("48,450") // the amounts' total: 15 × 1,000 + 15 × 2,000 + 100 + 101 + … + 129 + 30 × 0.50
			w.says("date DD/MM/YYYY")
			w.shoot("intake-profile.png")

			// The set is handed over in a format that is chosen: the file is what the interface gives.
			w.handOver(p, "Hand over", "NDJSON", "march, history *.ndjson", "march", client.Format{Name: "ndjson"})

			w.press("Record sets")
			w.press("Paste cells")
			w.until(`document.activeElement.getAttribute('aria-label') === 'Cells'`)
			w.paste("call_no\tamount_due\nMW-04400\t1100.50\nMW-04401\t2101.50\n")
			w.press("Look at them")
			w.says("pasted cells.tsv")
			w.press("Load")
			w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 2`)

			if _, err := p.client().CreateSieve(t.Context(), sieve.Definition{Name: "March", Left: "pasted cells", Right: "march",
				Key:     []sieve.KeyPart{{Columns: sieve.Columns{Left: "call_no", Right: "Voyage Call"}}},
				Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount_due", Right: "Amount"}, As: "text"}}}); err != nil {
				t.Fatal(err)
			}
			w.press("march")
			w.says("Reload from a new file")
			again := marchBills(t, "amount €")
			if keyboard {
				w.press("Reload from a new file")
				w.choose(again)
			} else {
				w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{again}))
			}
			w.says("from snapshot 1 to 2")
			w.says("column Amount seems to be called amount € now")
			w.says(`cannot run: march, the right side, has no column "Amount"`)
			w.shoot("intake-reloaded.png")
		})
	}
}

// choice takes another option of a select: by keyboard, going in the direction of an arrow until it is marked.
func (w *walk) choice(label, option, arrow string) {
	w.t.Helper()
	if !w.keyboard {
		w.click(fmt.Sprintf("[aria-label=%q]", label), 0)
		w.option(option)
		return
	}
	w.tabTo(label)
	w.keys(kb.ArrowDown)
	w.until(`document.activeElement.getAttribute('aria-expanded') === 'true' && document.querySelectorAll('.ant-select-item-option-active').length > 0`)
	const active = `[...document.querySelectorAll('.ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option-active')].map((e) => e.innerText.trim()).join()`
	for range 12 {
		at := w.text(active)
		if at == option {
			break
		}
		w.keys(arrow)
		w.until(fmt.Sprintf("%s !== %q", active, at))
	}
	w.keys(kb.Enter)
}

// handOver presses a button, chooses a format in its menu, and holds the file that arrives against what the interface gives.
func (w *walk) handOver(p *process, button, format, file, set string, f client.Format) {
	w.t.Helper()
	dir := w.t.TempDir()
	w.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		_, err := cdp.Call(ctx, target, browserdomain.SetDownloadBehavior, browserdomain.SetDownloadBehaviorParams{Behavior: "allow", DownloadPath: dir})
		return err
	}))
	w.press(button)
	const items = `[...document.querySelectorAll('.ant-dropdown:not(.ant-dropdown-hidden) .ant-dropdown-menu-item')]`
	w.until(items + `.length > 0 && !document.querySelector('.ant-dropdown[class*="ant-slide-"]')`) // it has come to rest
	if w.keyboard {
		w.until(`document.activeElement.closest('.ant-dropdown') !== null`)
		const at = `(document.activeElement.innerText ?? '').trim()`
		for range 10 {
			before := w.text(at)
			if before == format {
				break
			}
			w.keys(kb.ArrowDown)
			w.until(fmt.Sprintf("%s !== %q", at, before))
		}
		w.keys(kb.Enter)
	} else {
		w.until(fmt.Sprintf(`(() => { const e = %s.find((e) => e.innerText.trim() === %q); document.querySelectorAll('[data-found]').forEach((o) => o.removeAttribute('data-found')); e?.setAttribute('data-found', ''); return !!e; })()`, items, format))
		w.click("[data-found]", 0)
	}
	var want bytes.Buffer
	if err := p.client().ExportSet(w.t.Context(), set, f, &want); err != nil {
		w.t.Fatal(err)
	}
	var got []byte
	for wait := time.Now().Add(20 * time.Second); time.Now().Before(wait); time.Sleep(10 * time.Millisecond) {
		if found, _ := filepath.Glob(filepath.Join(dir, file)); len(found) == 1 { // it is not there until it is whole
			if got, _ = os.ReadFile(found[0]); len(got) == want.Len() {
				break
			}
		}
	}
	if want.Len() == 0 || !bytes.Equal(got, want.Bytes()) {
		w.t.Errorf("%d bytes of %s arrived, want %d", len(got), file, want.Len())
	}
}

// TestOtherFormats looks at JSON whose records are inside, and at a sheet that is not the first, and changes how they are read.
func TestOtherFormats(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	w.mistakes = true
	w.do(chromedp.Navigate(p.address + "/sets"))
	w.says("There are no record sets yet")
	dir := t.TempDir()
	put := func(name string, write func(io.Writer) error) string {
		f, err := os.Create(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		if err := errors.Join(write(f), f.Close()); err != nil {
			t.Fatal(err)
		}
		return f.Name()
	}
	calls := put("calls.json", func(f io.Writer) error {
		_, err := io.WriteString(f, `{"port":"Marrowick","days":[{"no":1},{"no":2},{"no":3}],"calls":[{"call":{"no":"MW-1"},"fee":12.50},{"call":{"no":"MW-2"},"fee":null}]}`)
		return err
	})
	quays := put("quays.xlsx", func(f io.Writer) error {
		book := excelize.NewFile()
		defer book.Close()
		if _, err := book.NewSheet("Tar Quay"); err != nil {
			return err
		}
		for cell, value := range map[string]any{"A1": "north", "A2": "x", "Tar Quay!B3": "call", "Tar Quay!C3": "day", "Tar Quay!B4": "MW-7", "Tar Quay!C4": time.Date(2031, 3, 4, 0, 0, 0, 0, time.UTC)} {
			sheet, at, other := strings.Cut(cell, "!")
			if !other {
				sheet, at = "Sheet1", cell
			}
			if err := book.SetCellValue(sheet, at, value); err != nil {
				return err
			}
		}
		return book.Write(f)
	})
	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{calls}))
	w.says("records at") // the largest array of objects is found, and is not the one that is wanted
	w.until(`document.querySelector('[aria-label="records at"]')?.value === '/days'`)
	w.text(`(document.querySelector('[aria-label="records at"]').select(), '')`)
	w.click(`[aria-label="records at"]`, 0)
	w.text(`(document.activeElement.select(), '')`)
	w.keys("/calls", kb.Enter)
	w.says("call.no")
	w.says("MW-2")
	w.text(`(document.querySelector('[aria-label="records at"]').select(), '')`)
	w.click(`[aria-label="records at"]`, 0)
	w.text(`(document.activeElement.select(), '')`)
	w.keys("/none", kb.Enter)
	w.says(`the JSON Pointer leads to nothing: there is no "none"`)
	w.button("Let everything be found again")
	w.until(`document.querySelector('[aria-label="records at"]')?.value === '/days'`)
	w.button("Put aside")
	w.until(`document.querySelectorAll('form').length === 0`)

	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{quays}))
	w.says("north")
	w.choice("sheet", "Tar Quay", "")
	w.says("2031-03-04")
	w.says("date YYYY-MM-DD")
	w.button("Load")
	w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 1`)
	set, err := p.client().Set(t.Context(), "quays")
	if err != nil || set.Snapshot.Records != 1 || fmt.Sprint(set.Snapshot.Columns) != "[call day]" {
		t.Errorf("loaded %+v, %v", set, err)
	}
	w.button("quays")
	w.click(".ant-table-row-expand-icon", 1)
	w.says("Commonest values")
	w.says("It reads every value")
}

// option clicks an option of the list that is open.
func (b *browser) option(text string) {
	b.t.Helper()
	const mark = `(text) => { const e = [...document.querySelectorAll('.ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option')].find((e) => e.innerText.trim() === text); if (e) { document.querySelectorAll('[data-found]').forEach((o) => o.removeAttribute('data-found')); e.setAttribute('data-found', ''); } return !!e; }`
	b.until(fmt.Sprintf("(%s)(%q)", mark, text))
	b.click("[data-found]", 0)
}

// paste puts a text where the cursor stands, as the clipboard would.
func (b *browser) paste(text string) {
	b.t.Helper()
	b.until(fmt.Sprintf(`document.execCommand('insertText', false, %q)`, text))
}
