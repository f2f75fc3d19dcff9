package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/exception"
	"twinsieve/core/expression"
	"twinsieve/core/match"
	"twinsieve/core/pace"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
	"twinsieve/formats/textcode"
	"twinsieve/service"
	"twinsieve/service/handover"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// sifting is the whole job on two files, in this process.
type sifting struct {
	files     [2]string
	flags     definitionFlags
	sieveFile string
	rejects   [2]rejectList // all of each file, where they are written
	choices   [2]choiceFlags
	read      [2]intake.Choices
	exact     bool
	out       string
	show      int
	memory    string
	workers   int
	tempDir   string
	swap      bool
	diagnose  bool
	budget    int64 // bytes that data may take

	// lookWithin is how much of each file is looked at to find its encoding. That is little at first: where more would have said something
	// else, the reading meets it, and all is begun anew.
	lookWithin [2]int64
}

func newSift(root *rootFlags) *cobra.Command {
	s := &sifting{}
	cmd := &cobra.Command{
		Use:   "sift LEFT RIGHT",
		Short: "Compare two files and say where every record of both belongs, without a service",
		Long: `Compare two files and say where every record of both belongs, without a service.

What makes two records the same is given by --key, once for each pair of columns, or by a sieve file. A pair is
LEFT=RIGHT, or one name where both sides have it, followed by a colon and readings where the sides write it differently.

What is not stated about the files is found. Every option of load that says how a file is read is here twice, with left- and
right- in front: --left-encoding windows-1252, --right-sheet March.`,
		Example: `  twinsieve sift service-log.csv invoices.csv --sieve berth-billing.sieve.yaml

  twinsieve sift service-log.csv invoices.csv \
    --key "call_no=Voyage Call: trim, ignore-case, drop-zeros-in-digit-runs" \
    --key "service_date=Invoiced On: left date YYYY-MM-DD, right date DD.MM.YYYY" \
    --key "service_code=Svc: trim, ignore-case" \
    --compare "amount_due=Amount: as decimal, within 0.05" \
    --out exceptions.csv`,
		Args: exactArgs(2, "two files: the left one, which says what should be there, and the right one"),
		RunE: func(cmd *cobra.Command, args []string) error {
			s.files = [2]string{args[0], args[1]}
			return s.run(cmd, root)
		},
	}
	f := cmd.Flags()
	s.flags.add(cmd)
	f.BoolVar(&s.swap, "swap", false, "exchange the sides: files, key and fields")
	f.StringVar(&s.sieveFile, "sieve", "", "a sieve file with key and fields, NAME.sieve.yaml")
	for _, side := range tray.Sides {
		s.choices[side].add(cmd, side.String()+"-")
	}
	f.BoolVar(&s.diagnose, "diagnose", false, "say, too, why the records without a partner found none")
	f.StringVar(&s.out, "out", "", "write all exceptions to this file, in the format of its ending")
	f.BoolVar(&s.exact, "exact", false, "for programs: in CSV and TSV, set nothing before texts that a spreadsheet would run")
	wholeNumberVar(f, &s.show, "show", 0, 0, 0, "also print the first `N` exceptions")
	f.StringVar(&s.memory, "memory", "", "memory to keep to, such as 64MB (default: a quarter of the machine's)")
	wholeNumberVar(f, &s.workers, "workers", 0, 1, mostWorkers, "use at most `N` processors (default: all)")
	f.StringVar(&s.tempDir, "temp-dir", "", "where temporary files go when memory does not suffice")
	return cmd
}

// sifted is what sift prints as JSON.
type sifted struct {
	*summary.Summary
	Files   [2]string          `json:"files"`
	Rejects [2]int64           `json:"rejects"`
	Listed  [2][]record.Reject `json:"rejected"` // the first rejects of each file
	Read    [2]intake.Choices  `json:"read"`     // how each file was read
	Footers [2][]intake.Footer `json:"footers"`
	Totals  [2][]intake.Footer `json:"likeTotals"` // last records that look like a total, and were taken as records
	Filled  [2]int64           `json:"filled"`     // lines of each file that had too few cells, and blanks for the others
	Merged  [2]int64           `json:"merged"`     // merged areas of each sheet whose cells but the first were read as blank
	Out     string             `json:"out,omitempty"`

	Uncomputed [2][]expression.Failures `json:"uncomputed"` // cells of computed columns that could not be
	Diagnosis  *view.Diagnosis          `json:"diagnosis,omitempty"`
	Shown      *listed                  `json:"shown,omitempty"` // the first exceptions, where some are asked for
}

// listed are rows under the names of their columns.
type listed struct {
	Columns []string   `json:"columns"`
	Rows    [][]string `json:"rows"`
}

// rejectsListed is how many rejects of a file are listed.
const rejectsListed = 20

func (s *sifting) run(cmd *cobra.Command, root *rootFlags) error {
	if err := checkOutput(root.output); err != nil {
		return err
	}
	if _, err := formatOf("", s.out, s.exact); err != nil {
		return err
	}
	if err := notOver(s.out, append(s.flags.files(), s.files[0], s.files[1], s.sieveFile)...); err != nil {
		return err
	}
	budget := defaultMemory()
	if s.memory != "" {
		var err error
		if budget, err = parseBytes("--memory", s.memory, leastMemory); err != nil {
			return err
		}
	}
	s.budget = keepTo(budget)
	keepIdle()
	d, err := s.definition()
	if err != nil {
		return err
	}
	if s.swap {
		d = d.Swapped()
		s.files[0], s.files[1] = s.files[1], s.files[0]
		s.choices[0], s.choices[1] = s.choices[1], s.choices[0]
	}
	for _, side := range tray.Sides {
		if s.read[side], err = s.choices[side].choices(cmd); err != nil {
			return err
		}
	}
	progress := newProgress(cmd.ErrOrStderr())
	defer progress.done()
	s.lookWithin = [2]int64{textcode.Sample, textcode.Sample}
	for {
		err := s.sift(cmd, root, d, progress)
		other := misread{}
		if !errors.As(err, &other) {
			return err
		}
		s.lookWithin[other.side] = 0
	}
}

// sift does the job by a definition. The error is a [misread] where it is to be done anew, with another encoding.
func (s *sifting) sift(cmd *cobra.Command, root *rootFlags, d sieve.Definition, progress *progress) error {
	result := &sifted{Files: s.files, Out: s.out}
	for side := range s.rejects {
		s.rejects[side] = rejectList{dir: s.tempDir}
		defer s.rejects[side].close()
	}
	feed := &feeding{sifting: s, root: root, result: result, progress: progress}
	defer feed.close()
	if err := feed.open(); err != nil {
		return err
	}
	for side, r := range feed.sources {
		if sheet := otherSheets(r.Guesses(), s.choices[side].prefix); sheet != "" {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", s.files[side], sheet)
		}
	}
	keepLean()
	plan, err := d.Compile(feed.sources[0].Columns(), feed.sources[1].Columns())
	if err != nil {
		return s.explain(err)
	}
	records := feed.expected()
	progress.expect(pace.Leg{Stage: "reading files", Units: float64(feed.bytes())}, pace.Leg{Stage: "matching", Units: float64(records)},
		pace.Leg{Stage: "repeated keys", Units: float64(records)}, pace.Leg{Stage: "writing exceptions", Units: s.written(records / 20)})
	near := &nearby{sifting: s, plan: plan, wanted: s.out != "" || root.output == "csv" || root.output == "ndjson", progress: progress}
	defer near.close()
	matching := match.Begin(plan, records, match.Options{
		Workers: s.workers, Budget: feed.forMatch(), TempDir: s.tempDir, NoKeys: true, Bring: near.bring,
		Progress: func(p match.Progress) { progress.set(p.Stage, p.Done, p.Total) },
	})
	defer matching.Close()
	tables, err := feed.feed(cmd.Context(), plan, matching)
	if err != nil {
		return err
	}
	near.tables = tables
	index, err := matching.Finish(cmd.Context(), tables)
	if err == nil {
		err = feed.unchanged()
	}
	if repeated := new(match.RepeatedError); errors.As(err, &repeated) {
		return wrongRequest("%s; give the key another part, or pair them with --repeats pair", err)
	}
	if currencies := new(match.CurrencyError); errors.As(err, &currencies) {
		return wrongRequest("%s", err)
	}
	if err != nil {
		return broken("%w", err)
	}
	if err := summary.Unread(cmd.Context(), plan, index, tables); err != nil {
		return s.explain(err)
	}
	result.Summary = summary.Of(plan, index, result.Rejects)
	result.Spilled += feed.spilled()
	if s.out != "" {
		progress.expect(pace.Leg{Stage: "writing exceptions", Units: s.written(result.Exceptions)})
		if err := s.writeExceptions(cmd.Context(), plan, index, near); err != nil {
			return err
		}
	}
	progress.done()
	for side, n := range result.Records {
		if n == 0 && result.Rejects[side] == 0 {
			fmt.Fprintf(cmd.ErrOrStderr(), "warning: %s has column names and no records\n", s.files[side])
		}
	}
	for side, list := range result.Totals {
		for _, f := range list {
			f.Source = s.files[side]
			fmt.Fprintln(cmd.ErrOrStderr(), likeTotal(&f))
		}
		if n := result.Filled[side]; n > 0 {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s of %s had too few cells, and blanks for the others\n", summary.Count(n, "line"), s.files[side])
		}
		if n := result.Merged[side]; n > 0 {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", s.files[side], mergedCells(n, s.choices[side].prefix))
		}
	}
	if s.diagnose {
		if result.Diagnosis, err = service.Explain(cmd.Context(), plan, index, tables, nil); err != nil {
			return broken("%w", err)
		}
	}
	if err := s.print(cmd, newPrinter(cmd, root.output), plan, index, tables, near, result); err != nil {
		return err
	}
	if result.Exceptions > 0 {
		return &failure{status: exitExceptions}
	}
	return nil
}

// written is how many of so many exceptions go to a file.
func (s *sifting) written(exceptions int64) float64 {
	if s.out == "" {
		return 0
	}
	return float64(exceptions)
}

// definition puts together what the sieve file and the options say.
func (s *sifting) definition() (sieve.Definition, error) {
	var d sieve.Definition
	if s.sieveFile != "" {
		var err error
		if d, err = readSieveFile(s.sieveFile); err != nil {
			return d, err
		}
	}
	for side, into := range []*string{&d.Left, &d.Right} {
		*into = setName(s.files[side])
	}
	if d.Left == d.Right {
		d.Left, d.Right = "left", "right"
	}
	if err := s.flags.apply(&d); err != nil {
		return d, err
	}
	if len(d.Key) == 0 {
		return d, wrongRequest("what makes two records the same is not said; give --key LEFT=RIGHT for each pair of columns, or --sieve FILE")
	}
	return d, nil
}

// setName is the name that a file's records go by: the file's name without folder and endings.
func setName(file string) string {
	name := filepath.Base(file)
	for ext := filepath.Ext(name); ext != "" && ext != name; ext = filepath.Ext(name) {
		name = strings.TrimSuffix(name, ext)
	}
	return name
}

// explain says of something wrong in the definition which option or file it is in.
func (s *sifting) explain(err error) error {
	if explained := s.flags.explain(err); explained != err { //nolint:errorlint // the same one
		return explained
	}
	if s.sieveFile != "" {
		return wrongRequest("%s: %w", s.sieveFile, err)
	}
	return wrongRequest("%w", err)
}

// exceptionTrays are the trays of exceptions, in the order of the lists.
func exceptionTrays() (list []tray.Tray) {
	for _, t := range tray.All {
		if t.Exception() {
			list = append(list, t)
		}
	}
	return list
}

// rejected are the rejects of both files as entries.
func (s *sifting) rejected(plan *sieve.Plan) handover.Rejects {
	return func(visit func([]exception.Entry) error) error {
		for _, side := range tray.Sides {
			err := s.rejects[side].each(func(some []record.Reject) error {
				entries := make([]exception.Entry, len(some))
				for i, r := range some {
					entries[i] = exception.OfReject(plan, side, r)
				}
				return visit(entries)
			})
			if err != nil {
				return err
			}
		}
		return nil
	}
}

func (s *sifting) writeExceptions(ctx context.Context, plan *sieve.Plan, index *match.Index, nearby *nearby) error {
	form, err := formatOf("", s.out, s.exact)
	if err != nil {
		return err
	}
	layout := handover.NewLayout(plan)
	layout.Exact = s.exact
	places := exception.Places(index, exceptionTrays()...)
	near, err := nearby.of(ctx, index)
	if err != nil {
		return broken("%w", err)
	}
	err = handover.WriteFile(s.out, func(w io.Writer) error {
		if form.Name != outform.CSV {
			out, err := outform.New(form.Name, w, layout.Typed(), outform.Options{Exact: s.exact})
			if err != nil {
				return err
			}
			return layout.Write(ctx, out, index, near, places, s.rejected(plan))
		}
		return layout.WriteCSV(ctx, w, index, near, places, s.rejected(plan))
	})
	if err != nil {
		return broken("%w", err)
	}
	return nil
}

func (s *sifting) print(cmd *cobra.Command, p *printer, plan *sieve.Plan, index *match.Index, tables [2]record.Table, nearby *nearby, result *sifted) error {
	layout := handover.NewLayout(plan)
	if p.form == "csv" || p.form == "ndjson" {
		return s.printAll(cmd.Context(), p, layout, plan, index, nearby)
	}
	rows, err := s.first(cmd.Context(), layout, plan, index, tables)
	if err != nil {
		return err
	}
	if p.form == "json" {
		if s.show > 0 {
			result.Shown = &listed{layout.Columns(), append([][]string{}, rows...)}
		}
		return p.json(result)
	}
	names := plan.Definition.SideNames()
	p.summary(result.Summary, names[0], names[1])
	for _, side := range tray.Sides {
		for _, footer := range result.Footers[side] {
			fmt.Fprintf(p.out, "\nline %d of %s is a footer: %s\n", footer.Line, s.files[side], footer.Text)
		}
		for _, f := range result.Uncomputed[side] {
			fmt.Fprintf(p.out, "\nthe column %s of %s could not be computed for %s, the first on line %d: %s\n", f.Column, s.files[side], summary.Count(f.Records, "record"), f.Line, f.Why)
		}
		if n := result.Rejects[side]; n > 0 {
			fmt.Fprintf(p.out, "\n%s of %s rejected:\n", summary.Count(n, "line"), s.files[side])
			for _, r := range result.Listed[side] {
				fmt.Fprintf(p.out, "  line %d: %s\n", r.Line, r.Reason)
			}
		}
	}
	if result.Diagnosis != nil {
		fmt.Fprintln(p.out)
		if err := printDiagnosis(p, plan.Definition, result.Diagnosis, 3, false); err != nil {
			return err
		}
	}
	if result.Spilled > 0 {
		fmt.Fprintf(p.out, "\nmemory did not suffice: %s bytes went to temporary files, which are gone\n", summary.Number(result.Spilled))
	}
	if len(rows) > 0 {
		fmt.Fprintln(p.out)
		p.table(layout.Columns(), rows)
	}
	if s.out != "" {
		fmt.Fprintf(p.out, "\n%s exceptions written to %s\n", summary.Number(result.Exceptions), s.out)
	}
	return nil
}

// first are the rows of the first exceptions, as many as are to be shown.
func (s *sifting) first(ctx context.Context, layout *handover.Layout, plan *sieve.Plan, index *match.Index, tables [2]record.Table) (rows [][]string, err error) {
	if s.show == 0 {
		return nil, nil
	}
	places := exception.Places(index, exceptionTrays()...)
	entries, err := exception.Read(ctx, plan, index, tables, places[:min(len(places), s.show)])
	if err != nil {
		return nil, broken("%w", err)
	}
	for i := range entries {
		if _, err := layout.Rows(&entries[i], nil, func(row []string) error {
			rows = append(rows, slices.Clone(row))
			return nil
		}); err != nil {
			return nil, err
		}
	}
	return rows, nil
}

// printAll prints all exceptions for programs, a part of them at a time.
func (s *sifting) printAll(ctx context.Context, p *printer, layout *handover.Layout, plan *sieve.Plan, index *match.Index, nearby *nearby) error {
	places := exception.Places(index, exceptionTrays()...)
	near, err := nearby.of(ctx, index)
	if err != nil {
		return broken("%w", err)
	}
	print, end := p.stream(layout.Columns())
	if err := layout.EachRow(ctx, index, near, places, s.rejected(plan), print); err != nil {
		return broken("%w", err)
	}
	return end()
}
