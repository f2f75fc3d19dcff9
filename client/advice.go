package client

import (
	"context"
	"net/http"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// Advise begins to find out which columns of two record sets could make two records the same.
func (c *Client) Advise(ctx context.Context, left, right string) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/advices", nil, map[string]string{"left": left, "right": right}, &out)
	return out, err
}

// Diagnose begins to find out why records found no partner with a definition, which need not be saved.
func (c *Client) Diagnose(ctx context.Context, d sieve.Definition) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/diagnoses", nil, map[string]any{"definition": d}, &out)
	return out, err
}

// DiagnoseRun begins to find out why the records of a run found no partner.
func (c *Client) DiagnoseRun(ctx context.Context, run uint) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/diagnoses", nil, map[string]any{"run": run}, &out)
	return out, err
}

// TryReading begins to find out what one reading of a definition does.
func (c *Client) TryReading(ctx context.Context, d sieve.Definition, at view.ReadingPlace) (out view.Job, err error) {
	_, err = c.json(ctx, http.MethodPost, "/readings/tried", nil, map[string]any{"definition": d, "of": at.Of, "part": at.Part, "reading": at.Reading}, &out)
	return out, err
}
