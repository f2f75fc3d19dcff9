package api

import (
	"context"
	"net/http"

	"twinsieve/service"
	"twinsieve/service/view"
)

type webhookPath struct {
	Webhook uint `path:"webhook" json:"-" description:"Id of the webhook."`
}

func webhookRoutes(v *service.Service) []route {
	return []route{
		get(admin, "/webhooks", "listWebhooks", "List the addresses that are told of events", func(ctx context.Context, _ *none) (reply[*view.Webhooks], error) {
			return ok(v.Webhooks(ctx))
		}),
		post(admin, "/webhooks", "addWebhook", "Add an address that is told of events; the secret that they are signed with is shown in this answer only", http.StatusCreated,
			func(ctx context.Context, r *view.NewWebhook) (reply[*view.Webhook], error) {
				h, err := v.AddWebhook(ctx, *r)
				return reply[*view.Webhook]{value: h, status: http.StatusCreated}, err
			}),
		remove(admin, "/webhooks/:webhook", "dropWebhook", "Remove an address that is told of events", func(ctx context.Context, r *webhookPath) (reply[*none], error) {
			return reply[*none]{status: http.StatusNoContent}, v.DropWebhook(ctx, r.Webhook)
		}),
		start(admin, "/webhooks/:webhook/tried", "tryWebhook", "Send a webhook an event that says nothing", func(ctx context.Context, r *webhookPath) (reply[*view.Delivery], error) {
			d, err := v.TryWebhook(ctx, r.Webhook)
			return reply[*view.Delivery]{value: d, status: http.StatusAccepted}, err
		}),
		get(admin, "/webhooks/:webhook/deliveries", "listDeliveries", "List what was and is on its way to a webhook, the newest first", func(ctx context.Context, r *webhookPath) (reply[*view.Deliveries], error) {
			return ok(v.Deliveries(ctx, r.Webhook))
		}),
	}
}
