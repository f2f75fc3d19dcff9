package view

import (
	"encoding/json"
	"time"
)

// Webhook is an address that is told of events.
type Webhook struct {
	ID      uint      `json:"id"`
	Address string    `json:"address"`
	Events  []string  `json:"events" nullable:"false"`
	By      string    `json:"by"`
	Created time.Time `json:"created"`
	Secret  string    `json:"secret,omitempty" description:"That deliveries are signed with, as RFC 9421 says; only in the answer to its making."`
}

// Webhooks is the list of webhooks.
type Webhooks struct {
	Webhooks []Webhook `json:"webhooks" nullable:"false"`
}

// NewWebhook is a webhook to be added.
type NewWebhook struct {
	Address string   `json:"address" required:"true" description:"An http or https address."`
	Events  []string `json:"events,omitempty" enum:"run.ended,exceptions.owned" description:"run.ended, exceptions.owned; both where not stated."`
}

// Delivery is an event on its way to a webhook.
type Delivery struct {
	ID       uint            `json:"id"`
	Event    string          `json:"event"`
	Body     json.RawMessage `json:"body"`
	State    string          `json:"state" enum:"waiting,done,failed"`
	Attempts int             `json:"attempts"`
	Status   int             `json:"status,omitempty" description:"HTTP status of the answer last time."`
	Error    string          `json:"error,omitempty" description:"Why it did not come through last time."`
	Next     *time.Time      `json:"next,omitempty" description:"When it is tried again."`
	Created  time.Time       `json:"created"`
	Finished *time.Time      `json:"finished,omitempty"`
}

// Deliveries is the list of a webhook's deliveries, the newest first.
type Deliveries struct {
	Deliveries []Delivery `json:"deliveries" nullable:"false"`
}
