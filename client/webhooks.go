package client

import (
	"context"
	"fmt"
	"net/http"

	"twinsieve/service/view"
)

// Webhooks lists the addresses that are told of events.
func (c *Client) Webhooks(ctx context.Context) (out view.Webhooks, err error) {
	_, err = c.do(ctx, http.MethodGet, "/webhooks", nil, nil, &out)
	return out, err
}

// AddWebhook adds an address that is told of events.
func (c *Client) AddWebhook(ctx context.Context, n view.NewWebhook) (out view.Webhook, err error) {
	_, err = c.json(ctx, http.MethodPost, "/webhooks", nil, n, &out)
	return out, err
}

// DropWebhook removes an address that is told of events.
func (c *Client) DropWebhook(ctx context.Context, id uint) error {
	_, err := c.do(ctx, http.MethodDelete, fmt.Sprintf("/webhooks/%d", id), nil, nil, nil)
	return err
}

// TryWebhook sends a webhook an event that says nothing.
func (c *Client) TryWebhook(ctx context.Context, id uint) (out view.Delivery, err error) {
	_, err = c.do(ctx, http.MethodPost, fmt.Sprintf("/webhooks/%d/tried", id), nil, nil, &out)
	return out, err
}

// Deliveries lists what was and is on its way to a webhook, the newest first.
func (c *Client) Deliveries(ctx context.Context, id uint) (out view.Deliveries, err error) {
	_, err = c.do(ctx, http.MethodGet, fmt.Sprintf("/webhooks/%d/deliveries", id), nil, nil, &out)
	return out, err
}
