package api

import (
	"context"
	"net/http"

	"twinsieve/service"
	"twinsieve/service/view"
)

type shareRequest struct {
	runPath
	chooses
	view.NewShare
}

type sharePath struct {
	runPath
	Share uint `path:"share" json:"-" description:"Id of the link."`
}

type sharedPath struct {
	Code string `path:"code" json:"-" description:"Code of the link."`
}

type sharedEntriesRequest struct {
	sharedPath
	listed
}

type sharedEntryPath struct {
	sharedPath
	Entry string `path:"entry" json:"-" description:"Id of the entry within its run."`
}

type sharedExportRequest struct {
	sharedEntriesRequest
	Format string `query:"format" json:"-" enum:"csv,xlsx,ndjson,parquet,html,pdf" description:"Format of the file; CSV where not stated."`
}

func shareRoutes(v *service.Service) []route {
	return []route{
		get(analyst, "/runs/:run/shares", "listShares", "List the links by which others read a report", func(ctx context.Context, r *runPath) (reply[*view.Shares], error) {
			return ok(v.Shares(ctx, r.Run))
		}),
		post(analyst, "/runs/:run/shares", "shareReport", "Make a link by which others, who need not sign in, read a report, or the entries that are chosen", http.StatusCreated,
			func(ctx context.Context, r *shareRequest) (reply[*view.Share], error) {
				s, err := v.ShareReport(ctx, r.Run, r.query(), r.NewShare)
				return reply[*view.Share]{value: s, status: http.StatusCreated}, err
			}),
		remove(analyst, "/runs/:run/shares/:share", "revokeShare", "End a link by which others read a report", func(ctx context.Context, r *sharePath) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.RevokeShare(ctx, r.Run, r.Share)
		}),
		get(anyone, "/shared/:code", "getShared", "Get the head of the report that a link shows", func(ctx context.Context, r *sharedPath) (reply[*view.Shared], error) {
			return ok(v.Shared(ctx, r.Code))
		}),
		get(anyone, "/shared/:code/entries", "listSharedEntries", "Page through the entries that a link shows", func(ctx context.Context, r *sharedEntriesRequest) (reply[*view.Entries], error) {
			return ok(v.SharedEntries(ctx, r.Code, r.query()))
		}),
		get(anyone, "/shared/:code/entries/:entry", "getSharedEntry", "Get one of the entries that a link shows", func(ctx context.Context, r *sharedEntryPath) (reply[*view.Entry], error) {
			return ok(v.SharedEntry(ctx, r.Code, r.Entry))
		}),
		download(anyone, "/shared/:code/export", "exportShared", "Hand over what a link shows as a file", "text/csv", func(ctx context.Context, r *sharedExportRequest) (*service.Export, error) {
			return v.SharedExport(ctx, r.Code, r.query(), r.Format)
		}),
	}
}
