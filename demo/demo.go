// Package demo makes the demo scenario: the port of Marrowick, its harbour office's service log, and the pilot station's
// invoices for the same services.
//
// The scenario is made from a seed, always the same from the same seed, and with it a statement of what was planted:
// how many records belong in each tray, how many rows each comparison has, what the amounts add up to. The statement is
// counted while the records are made, never by matching them, so results can be held against it.
//
// All names are made up.
package demo

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/cases"
	"golang.org/x/text/language"

	_ "embed"
)

// The names of the scenario's record sets, and of its files in a folder.
const (
	ServiceLog = "service-log"
	Invoices   = "invoices"
	Receipts   = "bank-receipts"
	Deposits   = "agents-deposits"
	Statement  = "deposit-statement"
	Logged     = "logged-invoices" // a result: the invoices that have a service in the log

	ServiceLogFile = ServiceLog + ".csv"
	InvoicesFile   = Invoices + ".csv"
	ReceiptsFile   = Receipts + ".csv"
	DepositsFile   = Deposits + ".csv"
	StatementFile  = Statement + ".csv"
	BillingFile    = "berth-billing.sieve.yaml"
	PaymentsFile   = "invoice-payments.sieve.yaml"
	SettledFile    = "settled-services.sieve.yaml"
	AgentsFile     = "agents-deposits.sieve.yaml"
	PlantedFile    = "planted.json"
)

// Billing, Payments, Settled and Agents are the texts of the scenario's sieve files: the service log against the invoices, the
// invoices against the bank's receipts, the same for only those invoices that have a service in the log: [Logged], the
// right-semi of Billing; and what ships' agents have deposited, in several currencies, against the bank's statement of it.
var (
	//go:embed berth-billing.sieve.yaml
	Billing []byte
	//go:embed invoice-payments.sieve.yaml
	Payments []byte
	//go:embed settled-services.sieve.yaml
	Settled []byte
	//go:embed agents-deposits.sieve.yaml
	Agents []byte
)

// People are who works in the demo, the admin first.
var People = []Person{
	{"ines.varga", "Ines Varga", "admin"},
	{"tam.okoro", "Tam Okoro", "analyst"},
	{"lio.brandt", "Lio Brandt", "reader"},
}

// Conversation is what is said about the largest difference.
var Conversation = []string{
	"The pilot station bills a second tug here; our log has one. @tam.okoro, was there a second one on that call?",
	"The berth book of that day says one tug only. I have asked the station for their slip.",
}

// Person is somebody who works in the demo.
type Person struct{ Name, FullName, Role string }

// Options choose a scenario. The zero value is the demo.
type Options struct {
	Seed     uint64
	Services int // how many services agree on both sides without anything planted; 0: 1,090
}

// Planted is what a scenario states about itself.
type Planted struct {
	Seed     uint64             `json:"seed"`
	Billing  Outcome            `json:"billing"`  // of the sieve Billing
	Payments Outcome            `json:"payments"` // of the sieve Payments
	Settled  Outcome            `json:"settled"`  // of the sieve Settled
	Deposits map[string]Outcome `json:"deposits"` // of the sieve Agents, of each currency apart; comparisons are not stated
	Quays    map[string]int     `json:"quays"`    // records in each quay's log
	Cases    []Case             `json:"cases"`
}

// Case is one kind of thing that was planted, and how often.
type Case struct {
	Name  string `json:"name"`
	Says  string `json:"says"`
	Times int    `json:"times"`
}

// Crowns is an amount in hundredths of a crown.
type Crowns int64

// String writes the amount in crowns, without zeros at the end.
func (c Crowns) String() string {
	sign := ""
	if c < 0 {
		sign, c = "-", -c
	}
	text := fmt.Sprintf("%s%d.%02d", sign, c/100, c%100)
	return strings.TrimSuffix(strings.TrimRight(text, "0"), ".")
}

// MarshalText writes what String writes.
func (c Crowns) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// Scenario is the demo's files and what was planted in them.
type Scenario struct {
	ServiceLog   []byte            // CSV
	Invoices     []byte            // CSV
	Receipts     []byte            // CSV
	Deposits     []byte            // CSV
	Statement    []byte            // CSV
	Quays        map[string][]byte // CSV by file name: the service log as each quay keeps its own, under other column names
	Planted      Planted
	NextDeposits *Month  // of the sieve Agents
	Later        []Round // the same record sets as they come later: first the month corrected, then with the next month in it
}

// Write writes the scenario's files, its sieve and its statement into a folder, which it makes where it is not there.
func (s *Scenario) Write(dir string) error {
	planted, err := json.MarshalIndent(s.Planted, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	files := map[string][]byte{ServiceLogFile: s.ServiceLog, InvoicesFile: s.Invoices, ReceiptsFile: s.Receipts, DepositsFile: s.Deposits, StatementFile: s.Statement, AgentsFile: Agents,
		BillingFile: Billing, PaymentsFile: Payments, SettledFile: Settled, PlantedFile: append(planted, '\n')}
	maps.Copy(files, s.Quays)
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(dir, name), content, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// service is one service to a vessel on a call at the port.
type service struct {
	call   int
	day    time.Time
	code   string
	vessel string
	quay   string
	amount Crowns
}

// logged is a line of the service log; billed is a line of the invoices. Their texts are as they stand in the files.
type logged struct {
	call, day, code, vessel, quay, amount, by string

	planted int // number of the exception that it is, or is half of; 0: none that later rounds play with
}

type billed struct {
	number, ship, call, day, code, amount, remark string

	unlogged bool // the log has no service of its key
	planted  int  // as of logged
}

// maker makes one scenario.
type maker struct {
	rand    *rand.Rand
	planted Planted
	used    map[string]bool // keys as read, so that nothing pairs that was not planted to
	left    []logged
	right   []billed
	calls   []service // one for each call, the part that its services share

	playable map[string][]int // numbers of the exceptions that later rounds play with, by what they are
}

// New makes a scenario.
func New(o Options) *Scenario {
	if o.Services == 0 {
		o.Services = 1090
	}
	m := &maker{rand: rand.New(rand.NewPCG(o.Seed, 0x4d6172726f7769)), used: map[string]bool{}, playable: map[string][]int{}}
	m.planted = Planted{Seed: o.Seed, Billing: newOutcome(), Payments: newOutcome(), Settled: newOutcome(), Deposits: map[string]Outcome{}, Quays: map[string]int{}}
	m.plant(o.Services)
	return m.finish()
}

var (
	vessels = []string{"Saltmarsh Wren", "Ardent Heron", "Sjöormen", "Corrie of Dunmaw", "Straßenfeger", "Ebba Lind", "Gannet's Pride", "Île Verte", "Maid of Pellan", "Nordlys II", "Ostrava Bell", "Quillon", "Tern & Tide", "Umber Jack", "Vesper Light", "Wilhelmina K", "Żuraw", "Yarrow"}
	quays   = []string{"North Quay", "Salt Quay", "Tar Quay"}
	clerks  = []string{"orrell", "vale", "marsh"}
	codes   = []string{"PIL", "TUG", "MOR", "WTR", "WST"}
	base    = map[string]Crowns{"PIL": 184000, "TUG": 231000, "MOR": 41550, "WTR": 27500, "WST": 36250}
)

// service makes a service whose key nothing else has.
func (m *maker) service() service {
	for {
		if len(m.calls) == 0 || m.rand.IntN(3) == 0 {
			m.calls = append(m.calls, service{
				call:   4000 + m.rand.IntN(5000),
				day:    time.Date(2031, 3, 1+m.rand.IntN(28), 0, 0, 0, 0, time.UTC),
				vessel: vessels[m.rand.IntN(len(vessels))],
				quay:   quays[m.rand.IntN(len(quays))],
			})
		}
		s := m.calls[m.rand.IntN(len(m.calls))]
		s.code = codes[m.rand.IntN(len(codes))]
		s.amount = base[s.code] + Crowns(m.rand.IntN(400))*125
		if m.take(s) {
			return s
		}
	}
}

var capitals = cases.Upper(language.Und)

// take takes the service's key, and reports false where it is taken.
func (m *maker) take(s service) bool {
	key := fmt.Sprintf("%d %s %s", s.call, s.day.Format(time.DateOnly), s.code)
	taken := m.used[key]
	m.used[key] = true
	return !taken
}

// log writes a service into the service log as the harbour office does.
func (m *maker) log(s service) *logged {
	m.left = append(m.left, logged{
		call: fmt.Sprintf("MW-%05d", s.call), day: s.day.Format("2006-01-02"), code: s.code, vessel: s.vessel,
		quay: s.quay, amount: fmt.Sprintf("%d.%02d", s.amount/100, s.amount%100), by: clerks[m.rand.IntN(len(clerks))],
	})
	return &m.left[len(m.left)-1]
}

// bill writes a service into the invoices as the pilot station does: in lower case here and there, without the zeros,
// the day first, the ship in capitals.
func (m *maker) bill(s service) *billed {
	call := fmt.Sprintf("MW-%d", s.call)
	if m.rand.IntN(2) == 0 {
		call = strings.ToLower(call)
	}
	m.right = append(m.right, billed{
		ship: capitals.String(s.vessel), call: call, day: s.day.Format("02.01.2006"), code: strings.ToLower(s.code),
		amount: Crowns.String(s.amount), remark: "",
	})
	return &m.right[len(m.right)-1]
}

func (m *maker) finish() *Scenario {
	slices.SortStableFunc(m.left, func(a, b logged) int { return strings.Compare(a.day+a.call, b.day+b.call) })
	m.rand.Shuffle(len(m.right), func(i, j int) { m.right[i], m.right[j] = m.right[j], m.right[i] })
	for i := range m.right {
		m.right[i].number = fmt.Sprintf("P%06d", 310001+i)
	}
	left, right := rows(m.left, m.right)
	s := &Scenario{Quays: m.quayLogs(), Receipts: m.text(m.receipts(), 0)}
	s.ServiceLog = m.text(left, m.planted.Billing.Rejects[0])
	s.Invoices = m.text(right, m.planted.Billing.Rejects[1])
	s.Later = m.later()
	office, bank, next := m.deposits()
	s.NextDeposits = next
	s.Deposits, s.Statement = m.text(office, 0), m.text(bank, 0)
	m.planted.Payments.Rejects[0] = m.planted.Billing.Rejects[1]
	m.planted.Billing.add()
	m.planted.Payments.add()
	m.planted.Settled.add()
	s.Planted = m.planted
	return s
}

// rows are the rows of both files.
func rows(logged []logged, billed []billed) (left, right [][]string) {
	left = [][]string{{"call_no", "service_date", "service_code", "vessel", "quay", "amount_due", "entered_by"}}
	for _, l := range logged {
		left = append(left, []string{l.call, l.day, l.code, l.vessel, l.quay, l.amount, l.by})
	}
	right = [][]string{{"Invoice", "Ship", "Voyage Call", "Invoiced On", "Svc", "Amount", "Remark"}}
	for _, r := range billed {
		right = append(right, []string{r.number, r.ship, r.call, r.day, r.code, r.amount, r.remark})
	}
	return left, right
}

// text writes rows as CSV and breaks in as many faulty lines as rejects says.
func (m *maker) text(rows [][]string, rejects int) []byte {
	var out bytes.Buffer
	faults := m.rand.Perm(len(rows) - 1)[:rejects]
	for i, row := range rows {
		w := csv.NewWriter(&out)
		_ = w.Write(row) // a buffer takes everything
		w.Flush()
		if slices.Contains(faults, i) {
			fmt.Fprintln(&out, "-- page total carried over --")
		}
	}
	return out.Bytes()
}
