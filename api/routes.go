package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/comparison"
	"twinsieve/core/expression"
	"twinsieve/core/sieve"
	"twinsieve/formats/intake"
	"twinsieve/formats/sievefile"
	"twinsieve/service"
	"twinsieve/service/view"
)

// none is the input or output of a route that has none.
type none struct{}

type setPath struct {
	Name string `path:"name" json:"-" description:"Name of the record set."`
}

type page struct {
	After string `query:"after" json:"-" description:"Cursor of the page, from the page before."`
	Limit int    `query:"limit" json:"-" minimum:"1" maximum:"1000" description:"Rows of the page: 1 to 1,000; 100 by default."`
}

type setPage struct {
	setPath
	page
	Snapshot int `query:"snapshot" json:"-" minimum:"1" description:"Number of the snapshot; the newest, or that of the cursor, where not stated."`
}

type loadRequest struct {
	setPath
	Source    string `query:"source" json:"-" description:"Name of the file, for people."`
	Delimiter string `query:"delimiter" json:"-" description:"The delimiter; found where not stated."`
}

type uploadRequest struct {
	Name string `query:"name" json:"-" required:"true" description:"Name of the file, for people; its ending speaks for a format."`
}

type uploadPath struct {
	Upload string `path:"upload" json:"-" description:"Id of the upload."`
}

type connectionPath struct {
	Connection string `path:"connection" json:"-" description:"Name of the connection."`
}

type connectionBody struct {
	Name string `json:"name" required:"true"`
	view.Access
	Password string `json:"password,omitempty" description:"It is kept encrypted and never told again."`
}

type connectionChange struct {
	connectionPath
	IfMatch string `header:"If-Match" json:"-" description:"ETag of the version that is changed."`
	view.Access
	Password *string `json:"password,omitempty" description:"Leave it out to keep the one that is kept; empty: none."`
}

type connectionDelete struct {
	connectionPath
	IfMatch string `header:"If-Match" json:"-" description:"ETag of the version that is deleted."`
}

type previewRequest struct {
	Source  view.SourceRef `json:"source" required:"true"`
	Choices intake.Choices `json:"choices" required:"true" description:"What is not chosen is found."`
}

type snapshotRequest struct {
	setPath
	view.Recipe
}

type computedRequest struct {
	setPath
	Computed []expression.Column `json:"computed" required:"true" nullable:"false" description:"All columns that are to be computed, in order; each may use those before it."`
}

type reloadRequest struct {
	setPath
	Source     view.SourceRef `json:"source,omitzero" description:"The new file; not needed where the set came from the service's folder."`
	AsDetected bool           `json:"asDetected,omitempty" description:"It is loaded even if its encoding, header, trailer lines and so on are detected differently from last time."`
}

// format is how a file is handed over.
type format struct {
	Format string `query:"format" json:"-" enum:"csv,tsv,xlsx,json,ndjson,parquet,arrow" description:"Format of the file; CSV where not stated."`
	Exact  bool   `query:"exact" json:"-" description:"For programs: in CSV and TSV nothing is set before texts that a spreadsheet would run as a formula."`
}

type setExportRequest struct {
	setPath
	format
}

type exportRequest struct {
	entriesRequest
	Format string `query:"format" json:"-" enum:"csv,tsv,xlsx,json,ndjson,parquet,arrow,html,pdf" description:"Format of the file; CSV where not stated. xlsx, html and pdf are the whole report with the entries chosen."`
	Exact  bool   `query:"exact" json:"-" description:"For programs: in CSV and TSV nothing is set before texts that a spreadsheet would run as a formula."`
}

type sievePath struct {
	Name string `path:"name" json:"-" description:"Name of the sieve."`
}

type sieveBody struct {
	sieve.Definition
}

type sieveChange struct {
	SieveName string `path:"name" json:"-" description:"Name of the sieve."`
	IfMatch   string `header:"If-Match" json:"-" description:"ETag of the version that is changed."`
	sieve.Definition
}

type sieveDelete struct {
	SieveName string `path:"name" json:"-" description:"Name of the sieve."`
	IfMatch   string `header:"If-Match" json:"-" description:"ETag of the version that is deleted."`
}

type countRequest struct {
	Definition sieve.Definition `json:"definition" required:"true"`
	Draft      string           `json:"draft,omitempty" description:"Names a definition that is being worked on: of its counts only the newest goes on."`
}

type wholeRequest struct {
	Definition sieve.Definition     `json:"definition" required:"true"`
	Align      comparison.Alignment `json:"align,omitzero" description:"Which columns are held against each other; by position where not stated."`
	Draft      string               `json:"draft,omitempty" description:"Names what is being worked on: of its counts only the newest goes on."`
}

type rowsRequest struct {
	view.Ask
	First int64 `json:"first,omitempty" minimum:"0" description:"Rows before the page."`
	Limit int   `json:"limit,omitempty" minimum:"1" maximum:"1000" description:"Rows of the page: 1 to 1,000; 100 by default."`
}

type rowsExportRequest struct {
	Ask string `query:"ask" json:"-" required:"true" description:"What is asked, as the JSON that rows are asked for with."`
	format
}

// ask reads what is asked out of the query.
func (r *rowsExportRequest) ask() (a view.Ask, err error) {
	return a, readJSON([]byte(r.Ask), &a, "parameter ask")
}

type filterRequest struct {
	view.Ask
	Side  string `json:"side,omitempty" enum:"left,right" description:"Of a filter over a side's records before they are compared; of one over the rows, nothing."`
	Where string `json:"where,omitempty" description:"The filter; leave it out to learn only which columns there are."`
}

type adviceRequest struct {
	Left  string `json:"left" required:"true" description:"Name of the left record set."`
	Right string `json:"right" required:"true" description:"Name of the right record set."`
}

type decideRequest struct {
	SieveName string `path:"name" json:"-" description:"Name of the sieve."`
	view.Decision
}

type importRequest struct {
	SieveName string `path:"name" json:"-" description:"Name of the sieve."`
	Reason    string `query:"reason" json:"-"`
	Confirm   bool   `query:"confirm" json:"-" description:"Also where a class of more than two keys comes of it."`
}

type takeBackRequest struct {
	SieveName string `path:"name" json:"-" description:"Name of the sieve."`
	Entry     uint   `path:"entry" json:"-" description:"Id of the entry."`
}

type handRequest struct {
	runPath
	view.HandPair
}

type nearRequest struct {
	runPath
	Least float64 `json:"least,omitempty" minimum:"0" maximum:"1" description:"The least score of a suggestion, from 0 to 1; 0.75 where not stated."`
}

type readingRequest struct {
	Definition sieve.Definition `json:"definition" required:"true"`
	view.ReadingPlace
}

type diagnoseRequest struct {
	Run        uint              `json:"run,omitempty" description:"Id of the run to diagnose."`
	Definition *sieve.Definition `json:"definition,omitempty" description:"The definition to diagnose instead; it need not be saved."`
}

type traceRequest struct {
	runPath
	Key    []string `query:"key" json:"-" description:"Parts of a key; records that have each of them are traced."`
	Record string   `query:"record" json:"-" description:"A record instead, by side and number: left-17."`
}

type lookRequest struct {
	Key string `query:"key" json:"-" required:"true" description:"A part of a key, or several with · between them."`
}

type repeatedRequest struct {
	runPath
	Limit int `query:"limit" json:"-" minimum:"1" maximum:"1000" description:"How many keys to list: 1 to 1,000; 100 by default."`
}

type runRequest struct {
	Sieve string `json:"sieve" required:"true" description:"Name of the sieve."`
}

type runPath struct {
	Run uint `path:"run" json:"-" description:"Id of the run."`
}

// chooses are the parameters by which entries of a report are chosen.
type chooses struct {
	Tray    string   `query:"tray" json:"-" description:"Only entries of this tray, or of several with commas between them; all exceptions where not given. matched and excluded stand alone."`
	Change  []string `query:"change" json:"-" enum:"new,still-open,changed,returned,cleared,absent" description:"Only what has become this since the run before: new, still-open, changed, returned, cleared, absent. Cleared and absent ones are listed only where they are asked for."`
	Status  []string `query:"status" json:"-" enum:"open,in-progress,explained,settled" description:"Only exceptions of this status: open, in-progress, explained, settled."`
	Owner   string   `query:"owner" json:"-" description:"Only exceptions of this person; me, or nobody."`
	Reason  string   `query:"reason" json:"-" description:"Only exceptions with this reason; or none."`
	Differs string   `query:"differs" json:"-" description:"Only pairs that do not agree in this compared field, named by its left column."`
	AtLeast string   `query:"atLeast" json:"-" description:"Only exceptions whose amount is at least so large, whatever its sign."`
	AtMost  string   `query:"atMost" json:"-" description:"Only exceptions whose amount is at most so large, whatever its sign."`
	In      string   `query:"in" json:"-" description:"Only exceptions whose amount is in this currency; none: in no one currency."`
	Search  string   `query:"search" json:"-" description:"Only entries that hold each of these words in some cell, in any letter case."`
	Sort    string   `query:"sort" json:"-" enum:"place,key,amount,tray,status,owner,age" description:"What they are sorted by; place by default."`
	Desc    bool     `query:"desc" json:"-" description:"The greatest first."`
}

func (c *chooses) query() service.Query {
	q := service.Query{Tray: c.Tray, Status: c.Status, Owner: c.Owner, Reason: c.Reason, Differs: c.Differs, AtLeast: c.AtLeast, AtMost: c.AtMost, In: c.In, Search: c.Search, Sort: c.Sort, Desc: c.Desc}
	for _, change := range c.Change {
		q.Change = append(q.Change, again.Change(change))
	}
	return q
}

// listed is a page of the entries that are chosen.
type listed struct {
	chooses
	page
}

func (l *listed) query() service.Query {
	q := l.chooses.query()
	q.After, q.Limit = l.After, l.Limit
	return q
}

type entriesRequest struct {
	runPath
	listed
}

type entryPath struct {
	runPath
	Entry string `path:"entry" json:"-" description:"Id of the entry within its run."`
}

type jobPath struct {
	Job string `path:"job" json:"-" description:"Id of the job."`
}

// reply is what a route answers: a value as JSON with a status, perhaps with an ETag.
type reply[T any] struct {
	value  T
	status int // 0: 200
	etag   string
	cookie *http.Cookie
}

func ok[T any](v T, err error) (reply[T], error) { return reply[T]{value: v}, err }

func accepted(j view.Job, err error) (reply[view.Job], error) {
	return reply[view.Job]{value: j, status: http.StatusAccepted}, err
}

func versioned(s *view.Sieve, status int, err error) (reply[*view.Sieve], error) {
	if err != nil {
		return reply[*view.Sieve]{}, err
	}
	return reply[*view.Sieve]{value: s, status: status, etag: etag(s.Version)}, nil
}

func versionedConnection(c *view.Connection, status int, err error) (reply[*view.Connection], error) {
	if err != nil {
		return reply[*view.Connection]{}, err
	}
	return reply[*view.Connection]{value: c, status: status, etag: etag(c.Version)}, nil
}

func etag(version int) string { return strconv.Quote(strconv.Itoa(version)) }

// version reads the version out of an If-Match header.
func version(ifMatch string) (int, error) {
	if ifMatch == "" {
		return 0, view.NoVersion.New("Say which version you are changing: send the ETag that it was read with as If-Match.")
	}
	n, err := strconv.Atoi(strings.Trim(strings.TrimPrefix(ifMatch, "W/"), `"`))
	if err != nil {
		return 0, view.Invalid.New(fmt.Sprintf("If-Match %s is not an ETag of this service.", ifMatch))
	}
	return n, nil
}

// dataRoutes are the routes of record sets, sieves, what is made of them, and runs.
func dataRoutes(v *service.Service) []route {
	return []route{
		get(reader, "/sets", "listSets", "List the record sets", func(ctx context.Context, _ *none) (reply[*view.Sets], error) {
			return ok(v.Sets(ctx))
		}),
		get(reader, "/sets/:name", "getSet", "Get a record set", func(ctx context.Context, r *setPath) (reply[*view.Set], error) {
			return ok(v.Set(ctx, r.Name))
		}),
		upload(analyst, http.MethodPut, "/sets/:name", "loadSet", "Send a file and load it as the newest snapshot of a record set; all about it is found", http.StatusAccepted,
			func(ctx context.Context, r *loadRequest, body io.Reader) (reply[view.Job], error) {
				source := r.Source
				if source == "" {
					source = r.Name
				}
				u, err := v.Upload(ctx, source, body)
				if err != nil {
					return reply[view.Job]{}, err
				}
				job, err := v.Load(ctx, r.Name, view.Recipe{Source: view.SourceRef{Place: view.Place{Upload: u.ID}}, Choices: intake.Choices{Delimiter: r.Delimiter}})
				if err != nil {
					return reply[view.Job]{}, errors.Join(err, v.DropUpload(ctx, u.ID))
				}
				return accepted(job, nil)
			}),
		upload(analyst, http.MethodPost, "/uploads", "upload", "Send a file, to be looked at and loaded", http.StatusCreated,
			func(ctx context.Context, r *uploadRequest, body io.Reader) (reply[*view.Upload], error) {
				u, err := v.Upload(ctx, r.Name, body)
				return reply[*view.Upload]{value: u, status: http.StatusCreated}, err
			}),
		remove(analyst, "/uploads/:upload", "dropUpload", "Forget a file that was sent and will not be loaded", func(ctx context.Context, r *uploadPath) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.DropUpload(ctx, r.Upload)
		}),
		get(analyst, "/folder", "listFolder", "List the files in the folder that the service may read", func(ctx context.Context, _ *none) (reply[*view.Folder], error) {
			return ok(v.Folder(ctx))
		}),
		get(analyst, "/connections", "listConnections", "List the connections to databases", func(ctx context.Context, _ *none) (reply[*view.Connections], error) {
			return ok(v.Connections(ctx))
		}),
		post(admin, "/connections", "createConnection", "Save a new connection to a database", http.StatusCreated, func(ctx context.Context, r *connectionBody) (reply[*view.Connection], error) {
			c, err := v.CreateConnection(ctx, r.Name, r.Access, r.Password)
			return versionedConnection(c, http.StatusCreated, err)
		}),
		get(analyst, "/connections/:connection", "getConnection", "Get a connection; its ETag names the version", func(ctx context.Context, r *connectionPath) (reply[*view.Connection], error) {
			c, err := v.Connection(ctx, r.Connection)
			return versionedConnection(c, http.StatusOK, err)
		}),
		put(admin, "/connections/:connection", "changeConnection", "Change a connection", func(ctx context.Context, r *connectionChange) (reply[*view.Connection], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*view.Connection]{}, err
			}
			c, err := v.UpdateConnection(ctx, r.Connection, n, r.Access, r.Password)
			return versionedConnection(c, http.StatusOK, err)
		}),
		remove(admin, "/connections/:connection", "deleteConnection", "Delete a connection that no record set is read from", func(ctx context.Context, r *connectionDelete) (reply[*none], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*none]{}, err
			}
			return reply[*none]{status: http.StatusNoContent}, v.DeleteConnection(ctx, r.Connection, n)
		}),
		get(analyst, "/connections/:connection/tables", "listTables", "List the tables and views that a connection sees; that it can is the proof that the connection is good",
			func(ctx context.Context, r *connectionPath) (reply[*view.Tables], error) {
				return ok(v.Tables(ctx, r.Connection))
			}),
		post(analyst, "/previews", "preview", "Say how a file would be read, and load nothing", http.StatusOK, func(ctx context.Context, r *previewRequest) (reply[*view.Preview], error) {
			return ok(v.Preview(ctx, r.Source, r.Choices))
		}),
		post(analyst, "/sets/:name/snapshots", "loadSnapshot", "Load a source as the newest snapshot of a record set", http.StatusAccepted,
			func(ctx context.Context, r *snapshotRequest) (reply[view.Job], error) {
				return accepted(v.Load(ctx, r.Name, r.Recipe))
			}),
		get(reader, "/sets/:name/snapshots", "listSnapshots", "List the snapshots of a record set, the newest first", func(ctx context.Context, r *setPath) (reply[*view.Snapshots], error) {
			return ok(v.Snapshots(ctx, r.Name))
		}),
		post(analyst, "/sets/:name/reload", "reloadSet", "Load a record set again with the choices of its newest snapshot", http.StatusAccepted,
			func(ctx context.Context, r *reloadRequest) (reply[view.Job], error) {
				return accepted(v.Reload(ctx, r.Name, r.Source, r.AsDetected))
			}),
		get(reader, "/sets/:name/changes", "getChanges", "Say what is different between the newest snapshot and the one before", func(ctx context.Context, r *setPath) (reply[*view.Changes], error) {
			return ok(v.Changes(ctx, r.Name))
		}),
		put(analyst, "/sets/:name/computed", "computeColumns", "Compute columns of a record set: a new snapshot has these computed columns and no others", func(ctx context.Context, r *computedRequest) (reply[view.Job], error) {
			return accepted(v.Compute(ctx, r.Name, r.Computed))
		}).answering(http.StatusAccepted),
		post(reader, "/sets/:name/computed/tried", "tryColumns", "Say what computed columns would be, and compute nothing", http.StatusOK, func(ctx context.Context, r *computedRequest) (reply[*view.TriedColumns], error) {
			return ok(v.TryColumns(ctx, r.Name, r.Computed))
		}),
		get(reader, "/functions", "listFunctions", "List what an expression can call", func(context.Context, *none) (reply[*view.Functions], error) {
			return ok(&view.Functions{Functions: expression.Functions()}, nil)
		}),
		start(reader, "/sets/:name/profile", "makeProfile", "Profile a record set's newest snapshot", func(ctx context.Context, r *setPath) (reply[view.Job], error) {
			return accepted(v.MakeProfile(ctx, r.Name))
		}),
		get(reader, "/sets/:name/profile", "getProfile", "Get the profile of a record set's newest snapshot", func(ctx context.Context, r *setPath) (reply[*view.Profile], error) {
			return ok(v.Profile(ctx, r.Name))
		}),
		download(reader, "/sets/:name/export", "exportSet", "Hand over a record set's newest snapshot as a file", "text/csv", func(ctx context.Context, r *setExportRequest) (*service.Export, error) {
			return v.ExportSet(ctx, r.Name, r.Format, r.Exact)
		}),
		download(reader, "/sets/:name/rejects/export", "exportRejects", "Hand over the rejected lines of a record set's newest snapshot as a file", "text/csv", func(ctx context.Context, r *setExportRequest) (*service.Export, error) {
			return v.ExportRejects(ctx, r.Name, r.Format, r.Exact)
		}),
		remove(analyst, "/sets/:name", "deleteSet", "Delete a record set", func(ctx context.Context, r *setPath) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.DeleteSet(ctx, r.Name)
		}),
		get(reader, "/sets/:name/records", "listRecords", "Page through the records of a record set's snapshot, the newest where none is stated", func(ctx context.Context, r *setPage) (reply[*view.Records], error) {
			return ok(v.Records(ctx, r.Name, r.Snapshot, r.After, r.Limit))
		}),
		get(reader, "/sets/:name/rejects", "listRejects", "Page through the rejected lines of a record set's snapshot, the newest where none is stated", func(ctx context.Context, r *setPage) (reply[*view.Rejects], error) {
			return ok(v.Rejects(ctx, r.Name, r.Snapshot, r.After, r.Limit))
		}),
		get(reader, "/readings", "listReadings", "List the readings that exist", func(context.Context, *none) (reply[*view.Readings], error) {
			return ok(v.Readings(), nil)
		}),
		post(reader, "/readings/tried", "tryReading", "Find out what one reading of a definition does to its values and to what pairs", http.StatusAccepted,
			func(ctx context.Context, r *readingRequest) (reply[view.Job], error) {
				return accepted(v.TryReading(ctx, r.Definition, r.ReadingPlace))
			}),
		get(reader, "/sieves", "listSieves", "List the sieves", func(ctx context.Context, _ *none) (reply[*view.Sieves], error) {
			return ok(v.Sieves(ctx))
		}),
		post(analyst, "/sieves", "createSieve", "Save a new sieve", http.StatusCreated, func(ctx context.Context, r *sieveBody) (reply[*view.Sieve], error) {
			s, err := v.CreateSieve(ctx, r.Definition)
			return versioned(s, http.StatusCreated, err)
		}),
		get(reader, "/sieves/:name", "getSieve", "Get a sieve; its ETag names the version", func(ctx context.Context, r *sievePath) (reply[*view.Sieve], error) {
			s, err := v.Sieve(ctx, r.Name)
			return versioned(s, http.StatusOK, err)
		}),
		put(analyst, "/sieves/:name", "changeSieve", "Save a new version of a sieve", func(ctx context.Context, r *sieveChange) (reply[*view.Sieve], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*view.Sieve]{}, err
			}
			s, err := v.UpdateSieve(ctx, r.SieveName, n, r.Definition)
			return versioned(s, http.StatusOK, err)
		}),
		remove(analyst, "/sieves/:name", "deleteSieve", "Delete a sieve; its runs stay", func(ctx context.Context, r *sieveDelete) (reply[*none], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*none]{}, err
			}
			return reply[*none]{status: http.StatusNoContent}, v.DeleteSieve(ctx, r.SieveName, n)
		}),
		download(reader, "/sieves/:name/file", "getSieveFile", "Get a sieve as a file", "application/yaml", func(ctx context.Context, r *sievePath) (*service.Export, error) {
			s, err := v.Sieve(ctx, r.Name)
			if err != nil {
				return nil, err
			}
			text, err := sievefile.Write(s.Definition)
			if err != nil {
				return nil, err
			}
			return &service.Export{Name: s.Definition.Name + sievefile.Ending, Write: func(w io.Writer) error {
				_, err := w.Write(text)
				return err
			}}, nil
		}),
		post(reader, "/counts", "count", "Count what a definition would give; it need not be saved", http.StatusAccepted, func(ctx context.Context, r *countRequest) (reply[view.Job], error) {
			return accepted(v.Count(ctx, r.Definition, r.Draft))
		}),
		post(reader, "/counts/whole", "countWhole", "Count set logic over the whole records of a definition's sets", http.StatusAccepted, func(ctx context.Context, r *wholeRequest) (reply[view.Job], error) {
			return accepted(v.CountWhole(ctx, r.Definition, r.Align, r.Draft))
		}),
		post(reader, "/rows", "listRows", "Page through the rows of a comparison; where they have to be made ready first, the answer is 202 and a job: ask again once it is done", http.StatusOK,
			func(ctx context.Context, r *rowsRequest) (reply[*view.Rows], error) {
				rows, err := v.Rows(ctx, r.Ask, r.First, r.Limit)
				out := reply[*view.Rows]{value: rows}
				if err == nil && rows.Job != nil {
					out.status = http.StatusAccepted
				}
				return out, err
			}),
		post(reader, "/rows/totals", "addUpRows", "Add up the number columns of all rows of a comparison", http.StatusAccepted, func(ctx context.Context, r *view.Ask) (reply[view.Job], error) {
			return accepted(v.RowTotals(ctx, *r))
		}),
		download(reader, "/rows/export", "exportRows", "Hand over all rows of a comparison as a file", "text/csv", func(ctx context.Context, r *rowsExportRequest) (*service.Export, error) {
			a, err := r.ask()
			if err != nil {
				return nil, err
			}
			return v.ExportRows(ctx, a, r.Format, r.Exact)
		}),
		post(reader, "/filters/tried", "tryFilter", "Say whether a filter could be, and which columns it can name", http.StatusOK, func(ctx context.Context, r *filterRequest) (reply[*view.TriedFilter], error) {
			return ok(v.TryFilter(ctx, r.Ask, r.Side, r.Where))
		}),
		get(reader, "/sieves/:name/chain", "getChain", "Tell what a sieve is made from, and what is made from it", func(ctx context.Context, r *sievePath) (reply[*view.Chain], error) {
			return ok(v.Chain(ctx, r.Name))
		}),
		post(reader, "/advices", "advise", "Find out which columns of two record sets could make two records the same", http.StatusAccepted,
			func(ctx context.Context, r *adviceRequest) (reply[view.Job], error) {
				return accepted(v.Advise(ctx, r.Left, r.Right))
			}),
		post(reader, "/diagnoses", "diagnose", "Find out why records found no partner, in a run or with a definition", http.StatusAccepted,
			func(ctx context.Context, r *diagnoseRequest) (reply[view.Job], error) {
				return accepted(v.Diagnose(ctx, r.Run, r.Definition))
			}),
		get(reader, "/traces", "look", "Trace a key in the newest run of every sieve", func(ctx context.Context, r *lookRequest) (reply[*view.Looked], error) {
			return ok(v.Look(ctx, r.Key))
		}),
		get(reader, "/runs/:run/trace", "trace", "Tell the way of records through a run", func(ctx context.Context, r *traceRequest) (reply[*view.Traces], error) {
			return ok(v.Trace(ctx, r.Run, r.Key, r.Record))
		}),
		get(reader, "/runs/:run/repeated", "listRepeated", "List the repeated keys of a run, the one in most pairs first", func(ctx context.Context, r *repeatedRequest) (reply[*view.Repeated], error) {
			return ok(v.Repeated(ctx, r.Run, r.Limit))
		}),
		post(reader, "/runs/:run/near", "findNear", "Look for records without a partner that might belong together", http.StatusAccepted, func(ctx context.Context, r *nearRequest) (reply[view.Job], error) {
			return accepted(v.Near(ctx, r.Run, r.Least))
		}),
		post(reader, "/runs/:run/pairs/tried", "tryPair", "Say what records would be if they were paired by hand, and pair nothing", http.StatusOK, func(ctx context.Context, r *handRequest) (reply[*view.TriedPair], error) {
			return ok(v.TryPair(ctx, r.Run, r.HandPair))
		}),
		post(analyst, "/runs/:run/pairs", "pairByHand", "Pair records by hand, whatever their keys, from the next run on", http.StatusOK, func(ctx context.Context, r *handRequest) (reply[*view.Crosswalk], error) {
			return ok(v.PairByHand(ctx, r.Run, r.HandPair))
		}),
		get(reader, "/sieves/:name/crosswalk", "getCrosswalk", "Get what has been accepted as the same in a sieve, and refused", func(ctx context.Context, r *sievePath) (reply[*view.Crosswalk], error) {
			return ok(v.Crosswalk(ctx, r.Name))
		}),
		post(analyst, "/sieves/:name/crosswalk", "decideKeys", "Accept keys as the same, or refuse that they are, from the next run on", http.StatusOK, func(ctx context.Context, r *decideRequest) (reply[*view.Crosswalk], error) {
			return ok(v.Decide(ctx, r.SieveName, r.Decision))
		}),
		upload(analyst, http.MethodPost, "/sieves/:name/crosswalk/import", "importCrosswalk", "Take in the pairs of keys of a CSV file as a crosswalk is handed over", http.StatusOK,
			func(ctx context.Context, r *importRequest, body io.Reader) (reply[*view.Crosswalk], error) {
				return ok(v.ImportCrosswalk(ctx, r.SieveName, body, view.Decision{Reason: r.Reason, Confirm: r.Confirm}))
			}),
		remove(analyst, "/sieves/:name/crosswalk/:entry", "takeBack", "Take an entry of a crosswalk back; what it was stays to be seen", func(ctx context.Context, r *takeBackRequest) (reply[*view.Crosswalk], error) {
			return ok(v.TakeBack(ctx, r.SieveName, r.Entry))
		}),
		download(reader, "/sieves/:name/crosswalk/export", "exportCrosswalk", "Hand over the keys that a crosswalk joins, as CSV", "text/csv", func(ctx context.Context, r *sievePath) (*service.Export, error) {
			return v.ExportCrosswalk(ctx, r.Name)
		}),
		post(analyst, "/runs", "startRun", "Run a sieve over the newest snapshots of its record sets", http.StatusAccepted, func(ctx context.Context, r *runRequest) (reply[view.Job], error) {
			return accepted(v.Run(ctx, r.Sieve))
		}),
		get(reader, "/runs", "listRuns", "List the runs, the newest first", func(ctx context.Context, r *page) (reply[*view.Runs], error) {
			return ok(v.Runs(ctx, r.After, r.Limit))
		}),
		get(reader, "/runs/:run", "getRun", "Get the head of a run's report", func(ctx context.Context, r *runPath) (reply[*view.Run], error) {
			return ok(v.RunHead(ctx, r.Run))
		}),
		get(reader, "/runs/:run/entries", "listEntries", "Page through a report's entries", func(ctx context.Context, r *entriesRequest) (reply[*view.Entries], error) {
			return ok(v.Entries(ctx, r.Run, r.query()))
		}),
		get(reader, "/runs/:run/entries/:entry", "getEntry", "Get one entry of a report", func(ctx context.Context, r *entryPath) (reply[*view.Entry], error) {
			return ok(v.Entry(ctx, r.Run, r.Entry))
		}),
		download(reader, "/runs/:run/export", "exportEntries", "Hand over a report's entries as a file", "text/csv", func(ctx context.Context, r *exportRequest) (*service.Export, error) {
			return v.Export(ctx, r.Run, r.query(), r.Format, r.Exact)
		}),
		get(reader, "/jobs", "listJobs", "List the newest jobs", func(ctx context.Context, _ *none) (reply[*view.Jobs], error) {
			return ok(v.Jobs(ctx))
		}),
		get(reader, "/jobs/:job", "getJob", "Get a job", func(ctx context.Context, r *jobPath) (reply[view.Job], error) {
			return ok(v.Job(ctx, r.Job))
		}),
		remove(reader, "/jobs/:job", "cancelJob", "Cancel a job", func(ctx context.Context, r *jobPath) (reply[view.Job], error) {
			return ok(v.Cancel(ctx, r.Job))
		}),
		events(reader, "/jobs/:job/events", "followJob", "Follow a job: one event after each change, until it has ended", "job", func(ctx context.Context, r *jobPath, tell func(view.Job) error) error {
			return v.Follow(ctx, r.Job, tell)
		}),
	}
}
