package client

import (
	"context"
	"io"
	"net/http"
	"net/url"

	"twinsieve/core/expression"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

// Upload sends a file, to be looked at and loaded. name is for people, and its ending speaks for a format.
func (c *Client) Upload(ctx context.Context, name string, file io.Reader) (out view.Upload, err error) {
	_, err = c.do(ctx, http.MethodPost, "/uploads?"+url.Values{"name": {name}}.Encode(), http.Header{"Content-Type": {"application/octet-stream"}}, file, &out)
	return out, err
}

// DropUpload forgets a file that was sent.
func (c *Client) DropUpload(ctx context.Context, id string) error {
	_, err := c.do(ctx, http.MethodDelete, "/uploads/"+url.PathEscape(id), nil, nil, nil)
	return err
}

// Folder lists the files in the folder that the service may read.
func (c *Client) Folder(ctx context.Context) (out view.Folder, err error) {
	_, err = c.do(ctx, http.MethodGet, "/folder", nil, nil, &out)
	return out, err
}

// Preview says how a source would be read.
func (c *Client) Preview(ctx context.Context, source view.SourceRef, choices intake.Choices) (out view.Preview, err error) {
	_, err = c.json(ctx, http.MethodPost, "/previews", nil, map[string]any{"source": source, "choices": choices}, &out)
	return out, err
}

func setURL(set, rest string) string { return "/sets/" + url.PathEscape(set) + rest }

// Load begins to load what a recipe names as the newest snapshot of a record set.
func (c *Client) Load(ctx context.Context, set string, recipe view.Recipe) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, setURL(set, "/snapshots"), nil, recipe, &out)
	return out, err
}

// LoadFile sends a file and begins to load it.
func (c *Client) LoadFile(ctx context.Context, set, name string, file io.Reader, recipe view.Recipe) (view.Job, error) {
	u, err := c.Upload(ctx, name, file)
	if err != nil {
		return view.Job{}, err
	}
	recipe.Source = view.SourceRef{Place: view.Place{Upload: u.ID}}
	job, err := c.Load(ctx, set, recipe)
	if err != nil {
		_ = c.DropUpload(context.WithoutCancel(ctx), u.ID) // what went wrong first is what counts
	}
	return job, err
}

// Reload begins to load a record set again with the choices of its newest snapshot. The source may be empty where the set
// came from the service's folder. Where the file is detected differently from last time, nothing is loaded unless asDetected says so.
func (c *Client) Reload(ctx context.Context, set string, source view.SourceRef, asDetected bool) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, setURL(set, "/reload"), nil, map[string]any{"source": source, "asDetected": asDetected}, &out)
	return out, err
}

// Snapshots lists the snapshots of a record set, the newest first.
func (c *Client) Snapshots(ctx context.Context, set string) (out view.Snapshots, err error) {
	_, err = c.do(ctx, http.MethodGet, setURL(set, "/snapshots"), nil, nil, &out)
	return out, err
}

// Changes says what is different between the newest snapshot and the one before.
func (c *Client) Changes(ctx context.Context, set string) (out view.Changes, err error) {
	_, err = c.do(ctx, http.MethodGet, setURL(set, "/changes"), nil, nil, &out)
	return out, err
}

// Compute begins to compute columns of a record set: all that are to be computed, in order.
func (c *Client) Compute(ctx context.Context, set string, columns []expression.Column) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPut, setURL(set, "/computed"), nil, computed(columns), &out)
	return out, err
}

// TryColumns says what computed columns would be.
func (c *Client) TryColumns(ctx context.Context, set string, columns []expression.Column) (out view.TriedColumns, err error) {
	_, err = c.json(ctx, http.MethodPost, setURL(set, "/computed/tried"), nil, computed(columns), &out)
	return out, err
}

func computed(columns []expression.Column) map[string][]expression.Column {
	return map[string][]expression.Column{"computed": append([]expression.Column{}, columns...)}
}

// MakeProfile begins to profile the newest snapshot of a record set.
func (c *Client) MakeProfile(ctx context.Context, set string) (out view.Job, err error) {
	_, err = c.do(ctx, http.MethodPost, setURL(set, "/profile"), nil, nil, &out)
	return out, err
}

// Profile returns the profile of the newest snapshot, where it has been made.
func (c *Client) Profile(ctx context.Context, set string) (out view.Profile, err error) {
	_, err = c.do(ctx, http.MethodGet, setURL(set, "/profile"), nil, nil, &out)
	return out, err
}

// ExportSet writes the newest snapshot of a record set to w in a format.
func (c *Client) ExportSet(ctx context.Context, set string, f Format, w io.Writer) error {
	return c.download(ctx, setURL(set, "/export?"+f.encode()), w)
}

// ExportRejects writes the rejected lines of the newest snapshot of a record set to w in a format.
func (c *Client) ExportRejects(ctx context.Context, set string, f Format, w io.Writer) error {
	return c.download(ctx, setURL(set, "/rejects/export?"+f.encode()), w)
}
