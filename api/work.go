package api

import (
	"context"
	"io"
	"net/http"

	"twinsieve/service"
	"twinsieve/service/view"
)

type entryChange struct {
	entryPath
	IfMatch string `header:"If-Match" json:"-" description:"Version of the work on the exception that is changed, in quotes."`
	view.WorkChange
}

type bulkRequest struct {
	runPath
	chooses
	view.BulkChange
}

type actionPath struct {
	runPath
	Action uint `path:"action" json:"-" description:"Id of the action."`
}

type commentRequest struct {
	entryPath
	Text string `json:"text" required:"true" description:"Plain text of at most 10,000 characters. @ and a name mention a person."`
}

type attachRequest struct {
	entryPath
	Name string `query:"name" json:"-" required:"true" description:"Name of the file."`
}

type filePath struct {
	entryPath
	File uint `path:"file" json:"-" description:"Id of the file."`
}

type signRequest struct {
	runPath
	IfMatch string `header:"If-Match" json:"-" description:"Version of the sign-off that is changed, in quotes."`
	view.SignStep
}

type overviewRequest struct {
	page
	Of    string `query:"of" json:"-" enum:"mine,unowned,mentions,all" description:"Whose; all where not given."`
	Owner string `query:"owner" json:"-" description:"Instead: only those of this person."`
	Sieve string `query:"sieve" json:"-" description:"Only those of this sieve."`
	Sort  string `query:"sort" json:"-" enum:"age,amount" description:"The oldest first, or the largest; the oldest where not given."`
}

type scheduleRequest struct {
	SieveName string `path:"name" json:"-" description:"Name of the sieve."`
	IfMatch   string `header:"If-Match" json:"-" description:"Version of the schedule that is changed, in quotes."`
	view.NewSchedule
}

type filterPath struct {
	Filter string `path:"filter" json:"-" description:"Name of the filter."`
}

func workRoutes(v *service.Service) []route {
	return []route{
		put(analyst, "/runs/:run/entries/:entry/work", "changeEntry", "Change status, owner or reason of an exception", func(ctx context.Context, r *entryChange) (reply[*view.Entry], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*view.Entry]{}, err
			}
			return ok(v.ChangeEntry(ctx, r.Run, r.Entry, n, r.WorkChange))
		}),
		post(analyst, "/runs/:run/entries/work", "changeEntries", "Change status, owner or reason of all exceptions that are chosen, as one action", http.StatusOK,
			func(ctx context.Context, r *bulkRequest) (reply[*view.Done], error) {
				return ok(v.ChangeEntries(ctx, r.Run, r.chooses.query(), r.BulkChange))
			}),
		get(reader, "/runs/:run/tallies", "getTallies", "Count a report's entries by all that they can be chosen by", func(ctx context.Context, r *runPath) (reply[*view.Tallies], error) {
			return ok(v.Tallies(ctx, r.Run))
		}),
		get(reader, "/runs/:run/actions", "listActions", "List what was done in a report, the newest first", func(ctx context.Context, r *runPath) (reply[*view.Actions], error) {
			return ok(v.Actions(ctx, r.Run))
		}),
		start(analyst, "/runs/:run/actions/:action/undo", "undoAction", "Take an action back; what has been changed since stays as it is", func(ctx context.Context, r *actionPath) (reply[*view.Done], error) {
			return ok(v.Undo(ctx, r.Run, r.Action))
		}).answering(http.StatusOK),
		get(reader, "/runs/:run/entries/:entry/conversation", "getConversation", "Get what was said about an exception", func(ctx context.Context, r *entryPath) (reply[*view.Conversation], error) {
			return ok(v.Conversation(ctx, r.Run, r.Entry))
		}),
		post(analyst, "/runs/:run/entries/:entry/comments", "comment", "Comment on an exception", http.StatusCreated, func(ctx context.Context, r *commentRequest) (reply[*view.Comment], error) {
			c, err := v.Comment(ctx, r.Run, r.Entry, r.Text)
			return reply[*view.Comment]{value: c, status: http.StatusCreated}, err
		}),
		upload(analyst, http.MethodPost, "/runs/:run/entries/:entry/files", "attach", "Put a file of at most 10 MB to an exception", http.StatusCreated,
			func(ctx context.Context, r *attachRequest, body io.Reader) (reply[*view.Attachment], error) {
				a, err := v.Attach(ctx, r.Run, r.Entry, r.Name, body)
				return reply[*view.Attachment]{value: a, status: http.StatusCreated}, err
			}),
		download(reader, "/runs/:run/entries/:entry/files/:file", "getAttachment", "Get a file that was put to an exception", "application/octet-stream", func(ctx context.Context, r *filePath) (*service.Export, error) {
			return v.Attachment(ctx, r.Run, r.Entry, r.File)
		}),
		events(reader, "/runs/:run/events", "followReport", "Follow a report: one event after each change", "change", func(ctx context.Context, r *runPath, hear func(view.ReportChange) error) error {
			return v.FollowReport(ctx, r.Run, hear)
		}),
		get(reader, "/runs/:run/sign-off", "getSignOff", "Say how far a report is on its way to being signed", func(ctx context.Context, r *runPath) (reply[*view.SignOff], error) {
			return ok(v.SignOff(ctx, r.Run))
		}),
		put(analyst, "/runs/:run/sign-off", "signReport", "Submit a report, sign it, send it back or reopen it", func(ctx context.Context, r *signRequest) (reply[*view.SignOff], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*view.SignOff]{}, err
			}
			return ok(v.Sign(ctx, r.Run, n, r.SignStep))
		}),
		get(reader, "/exceptions", "listPending", "Page through the exceptions of all sieves that somebody has to do something about", func(ctx context.Context, r *overviewRequest) (reply[*view.Overview], error) {
			return ok(v.Overview(ctx, service.OverviewQuery{Of: r.Of, Owner: r.Owner, Sieve: r.Sieve, Sort: r.Sort, After: r.After, Limit: r.Limit}))
		}),
		get(reader, "/sieves/:name/trend", "getTrend", "Say how a sieve's exceptions went from run to run", func(ctx context.Context, r *sievePath) (reply[*view.Trend], error) {
			return ok(v.Trend(ctx, r.Name))
		}),
		get(reader, "/sieves/:name/schedule", "getSchedule", "Say when a sieve runs by itself", func(ctx context.Context, r *sievePath) (reply[*view.Schedule], error) {
			return ok(v.Schedule(ctx, r.Name))
		}),
		put(analyst, "/sieves/:name/schedule", "setSchedule", "Let a sieve run by itself: by the clock, or when files have come", func(ctx context.Context, r *scheduleRequest) (reply[*view.Schedule], error) {
			n, err := version(r.IfMatch)
			if err != nil {
				return reply[*view.Schedule]{}, err
			}
			return ok(v.SetSchedule(ctx, r.SieveName, n, r.NewSchedule))
		}),
		get(reader, "/reasons", "listReasons", "List the reasons that exceptions can be given", func(ctx context.Context, _ *none) (reply[*view.Reasons], error) {
			return ok(v.Reasons(ctx))
		}),
		put(admin, "/reasons", "setReasons", "Replace the list of reasons; exceptions keep the ones that they have", func(ctx context.Context, r *view.NewReasons) (reply[*view.Reasons], error) {
			return ok(v.SetReasons(ctx, *r))
		}),
		post(admin, "/retention/tried", "tryRetention", "Say what runs and snapshots a rule would let go, and remove nothing", http.StatusOK, func(ctx context.Context, r *view.Retention) (reply[*view.Removable], error) {
			return ok(v.Removable(ctx, *r))
		}),
		post(admin, "/retention", "applyRetention", "Remove the runs and snapshots that a rule lets go", http.StatusOK, func(ctx context.Context, r *view.Removal) (reply[*view.Removable], error) {
			return ok(v.Remove(ctx, *r))
		}),
		get(reader, "/me/filters", "listFilters", "List one's own saved filters", func(ctx context.Context, _ *none) (reply[*view.SavedFilters], error) {
			return ok(v.SavedFilters(ctx))
		}),
		put(reader, "/me/filters", "saveFilter", "Save a filter for oneself, or replace the one of its name", func(ctx context.Context, r *view.SavedFilter) (reply[*view.SavedFilters], error) {
			return ok(v.SaveFilter(ctx, *r))
		}),
		remove(reader, "/me/filters/:filter", "dropFilter", "Forget one of one's own filters", func(ctx context.Context, r *filterPath) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.DropFilter(ctx, r.Filter)
		}),
	}
}
