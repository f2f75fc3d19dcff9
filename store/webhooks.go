package store

import (
	"context"
	"encoding/json"
	"net/url"
	"time"

	"gorm.io/gorm"
)

// The events that webhooks are told of.
const (
	EventRunEnded = "run.ended"        // a run has ended, well or not
	EventOwned    = "exceptions.owned" // exceptions have got an owner
	EventTest     = "test"
)

// Webhook is an address that is told of events.
type Webhook struct {
	ID      uint
	Address string
	Secret  []byte   // that deliveries are signed with, encrypted
	Events  []string `gorm:"serializer:json"`
	Person  string   // who added it
	Created time.Time
}

// The states of a delivery.
const (
	DeliveryWaiting = "waiting"
	DeliveryDone    = "done"
	DeliveryFailed  = "failed" // it was tried as often as it is
)

// Delivery is an event on its way to a webhook.
type Delivery struct {
	ID        uint
	WebhookID uint
	Event     string
	Body      string // JSON
	State     string
	Attempts  int
	Status    int    // of the answer last time; 0: there was none
	Error     string // why it did not come through last time
	Due       time.Time
	Created   time.Time
	Finished  *time.Time
}

// deliveriesKept is how many ended deliveries of a webhook are kept to be looked at.
const deliveriesKept = 500

// announce puts an event on its way to the webhooks that are told of it, in the transaction of what has happened. body is written
// as JSON, with the event's name and time.
func announce(tx *gorm.DB, event string, body map[string]any) error {
	var hooks []Webhook
	if err := tx.Find(&hooks).Error; err != nil || len(hooks) == 0 {
		return err
	}
	now := time.Now().UTC()
	body["event"], body["at"] = event, now
	text, err := json.Marshal(body)
	if err != nil {
		return err
	}
	for _, hook := range hooks {
		for _, wanted := range hook.Events {
			if wanted == event {
				if err := tx.Create(&Delivery{WebhookID: hook.ID, Event: event, Body: string(text), State: DeliveryWaiting, Due: now, Created: now}).Error; err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// Announce puts an event on its way to the webhooks that are told of it.
func (s *Store) Announce(ctx context.Context, event string, body map[string]any) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error { return announce(tx, event, body) })
}

// Webhooks lists the webhooks.
func (s *Store) Webhooks(ctx context.Context) (list []Webhook, err error) {
	err = s.reads.WithContext(ctx).Order("id").Find(&list).Error
	return list, err
}

// Webhook returns a webhook.
func (s *Store) Webhook(ctx context.Context, id uint) (h Webhook, err error) {
	err = s.reads.WithContext(ctx).Take(&h, id).Error
	return h, plainError(err)
}

// hostOf is the host of an address. The rest of an address may be a secret, and everybody reads the history.
func hostOf(address string) string {
	if u, err := url.Parse(address); err == nil && u.Host != "" {
		return u.Host
	}
	return "an address"
}

// AddWebhook adds a webhook; seal encrypts its secret once its number is known.
func (s *Store) AddWebhook(ctx context.Context, h Webhook, seal func(id uint) ([]byte, error)) (Webhook, error) {
	h.Person, h.Created, h.Secret = ActorOf(ctx).Name, time.Now().UTC(), []byte{}
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		err := tx.Create(&h).Error
		if err == nil {
			h.Secret, err = seal(h.ID)
		}
		if err == nil {
			err = tx.Save(&h).Error
		}
		return happened{"webhook.added", "webhook", hostOf(h.Address), map[string]any{"id": h.ID, "events": h.Events}}, err
	})
	return h, err
}

// DropWebhook removes a webhook with all that was on its way to it.
func (s *Store) DropWebhook(ctx context.Context, id uint) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var h Webhook
		if err := tx.Take(&h, id).Error; err != nil {
			return happened{}, err
		}
		if err := tx.Where("webhook_id = ?", id).Delete(&Delivery{}).Error; err != nil {
			return happened{}, err
		}
		return happened{"webhook.removed", "webhook", hostOf(h.Address), map[string]any{"id": id}}, tx.Delete(&h).Error
	})
}

// AddDelivery puts an event on its way to one webhook.
func (s *Store) AddDelivery(ctx context.Context, d Delivery) (Delivery, error) {
	d.State, d.Created = DeliveryWaiting, time.Now().UTC()
	d.Due = d.Created
	err := s.write(ctx, urgent, func(tx *gorm.DB) error { return tx.Create(&d).Error })
	return d, err
}

// DueDeliveries are some of those whose time has come, and when the next one's comes.
func (s *Store) DueDeliveries(ctx context.Context, limit int) (list []Delivery, next time.Time, err error) {
	now := time.Now().UTC()
	if err = s.reads.WithContext(ctx).Where("state = ? AND due <= ?", DeliveryWaiting, now).Order("due, id").Limit(limit).Find(&list).Error; err != nil || len(list) > 0 {
		return list, now, err
	}
	var first []Delivery
	if err = s.reads.WithContext(ctx).Where("state = ?", DeliveryWaiting).Order("due").Limit(1).Find(&first).Error; err == nil && len(first) > 0 {
		next = first[0].Due
	}
	return nil, next, err
}

// PutDelivery writes how a delivery went, and forgets the oldest of those that have ended.
func (s *Store) PutDelivery(ctx context.Context, d Delivery) error {
	return s.write(ctx, bulk, func(tx *gorm.DB) error {
		if err := tx.Model(&Delivery{}).Where("id = ?", d.ID).Select("State", "Attempts", "Status", "Error", "Due", "Finished").Updates(&d).Error; err != nil {
			return err
		}
		return tx.Exec(`DELETE FROM deliveries WHERE webhook_id = ? AND state <> 'waiting' AND id <= (SELECT id FROM deliveries WHERE webhook_id = ? ORDER BY id DESC LIMIT 1 OFFSET ?)`,
			d.WebhookID, d.WebhookID, deliveriesKept).Error
	})
}

// Deliveries lists what was and is on its way to a webhook, the newest first.
func (s *Store) Deliveries(ctx context.Context, webhook uint, limit int) (list []Delivery, err error) {
	err = s.reads.WithContext(ctx).Where("webhook_id = ?", webhook).Order("id DESC").Limit(limit).Find(&list).Error
	return list, err
}
