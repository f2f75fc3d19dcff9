package service

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"twinsieve/service/signature"
	"twinsieve/service/view"
	"twinsieve/store"
)

// How deliveries are made.
const (
	deliveryTimeout = 10 * time.Second
	deliveriesMost  = 7 // tries, the first included; each wait is four times the one before
	deliveriesAtOne = 4
)

var webhookEvents = []string{store.EventRunEnded, store.EventOwned}

// courier takes events to webhooks.
type courier struct {
	wake  chan struct{}
	ended sync.WaitGroup
	http  *http.Client
}

// ownNetwork says that an address is in the service's own network, where webhooks may not go unless that is allowed.
type ownNetworkError struct{ address string }

func (e *ownNetworkError) Error() string {
	return e.address + " is in the service's own network, and the service does not allow webhooks there (--webhooks-inside)"
}

// notPublic are the networks whose addresses are not of the open network, beside those that the library knows: shared and reserved ones, those
// for tests and benchmarks, and those in which an address of another kind is packed.
var notPublic = func() (list []netip.Prefix) {
	for _, text := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4",
		"::/96", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "3fff::/20", "5f00::/16", "fec0::/10"} {
		list = append(list, netip.MustParsePrefix(text))
	}
	return list
}()

// inside reports whether an address is of a machine itself, or of a network that is not open to the world.
func inside(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	if slices.ContainsFunc(notPublic, func(p netip.Prefix) bool { return p.Contains(a) }) {
		return true
	}
	return a.IsLoopback() || a.IsPrivate() || a.IsLinkLocalUnicast() || a.IsLinkLocalMulticast() || a.IsMulticast() || a.IsUnspecified() || a.IsInterfaceLocalMulticast()
}

func (v *Service) startCourier() {
	dialer := &net.Dialer{Timeout: deliveryTimeout, Control: func(_, address string, _ syscall.RawConn) error {
		// Here and not before: a name may mean one address when it is looked up, and another when it is called.
		if at, err := netip.ParseAddrPort(address); err != nil || inside(at.Addr()) && !v.options.WebhooksInside {
			return &ownNetworkError{address}
		}
		return nil
	}}
	v.courier.wake = make(chan struct{}, 1)
	v.courier.http = &http.Client{Timeout: deliveryTimeout, Transport: &http.Transport{DialContext: dialer.DialContext, TLSHandshakeTimeout: deliveryTimeout, Proxy: nil},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	v.courier.ended.Go(v.deliver)
}

// hurry lets the courier look at once.
func (c *courier) hurry() {
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

// deliver delivers whatever is due, until the service stops.
func (v *Service) deliver() {
	ctx := v.jobs.all
	for ctx.Err() == nil {
		due, next, err := v.store.DueDeliveries(ctx, 4*deliveriesAtOne)
		if err != nil && ctx.Err() == nil {
			v.options.Log.Error("deliveries cannot be read", "error", err)
		}
		if len(due) > 0 {
			var group sync.WaitGroup
			slots := make(chan struct{}, deliveriesAtOne)
			for _, d := range due {
				slots <- struct{}{}
				group.Go(func() {
					v.deliverOne(ctx, d)
					<-slots
				})
			}
			group.Wait()
			continue
		}
		wait := time.Minute
		if !next.IsZero() {
			wait = min(wait, max(time.Until(next), time.Millisecond))
		}
		select {
		case <-ctx.Done():
		case <-v.courier.wake:
		case <-time.After(wait):
		}
	}
}

// deliverOne tries a delivery once, and writes down how it went.
func (v *Service) deliverOne(ctx context.Context, d store.Delivery) {
	status, err := v.send(ctx, d)
	if ctx.Err() != nil {
		return // it is tried anew after the next start
	}
	now := time.Now().UTC()
	d.Attempts++
	d.Status, d.Error = status, ""
	switch {
	case err == nil && status >= 200 && status < 300:
		d.State, d.Finished = store.DeliveryDone, &now
	case d.Attempts >= deliveriesMost:
		d.State, d.Finished = store.DeliveryFailed, &now
		fallthrough
	default:
		if d.Error = fmt.Sprintf("it answered %d", status); err != nil {
			d.Error = err.Error()
		}
		d.Due = now.Add(v.options.RetryWait << (2 * (d.Attempts - 1)))
	}
	if err := v.store.PutDelivery(ctx, d); err != nil && ctx.Err() == nil {
		v.options.Log.Error("a delivery's outcome could not be written", "delivery", d.ID, "error", err)
	}
}

func (v *Service) send(ctx context.Context, d store.Delivery) (status int, err error) {
	hook, err := v.store.Webhook(ctx, d.WebhookID)
	if err != nil {
		return 0, err
	}
	secret, err := v.vault.Open(webhookOwner(hook.ID), hook.Secret)
	if err != nil {
		return 0, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, hook.Address, bytes.NewReader([]byte(d.Body)))
	if err != nil {
		return 0, err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "TwinSieve")
	req.Header.Set(signature.DeliveryHeader, strconv.FormatUint(uint64(d.ID), 10))
	signature.Sign(req, []byte(d.Body), secret, time.Now())
	resp, err := v.courier.http.Do(req)
	if err != nil {
		var own *ownNetworkError
		if errors.As(err, &own) {
			return 0, own
		}
		return 0, err
	}
	defer resp.Body.Close()
	_, err = io.Copy(io.Discard, io.LimitReader(resp.Body, 1<<16))
	return resp.StatusCode, err
}

func webhookOwner(id uint) string { return fmt.Sprintf("webhook %d", id) }

func webhookOf(h store.Webhook) view.Webhook {
	return view.Webhook{ID: h.ID, Address: h.Address, Events: h.Events, By: h.Person, Created: h.Created}
}

// Webhooks lists the webhooks.
func (v *Service) Webhooks(ctx context.Context) (*view.Webhooks, error) {
	rows, err := v.store.Webhooks(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.Webhooks{Webhooks: []view.Webhook{}}
	for _, row := range rows {
		list.Webhooks = append(list.Webhooks, webhookOf(row))
	}
	return list, nil
}

// AddWebhook adds a webhook. The secret that its deliveries are signed with is in the answer, and never again.
func (v *Service) AddWebhook(ctx context.Context, n view.NewWebhook) (*view.Webhook, error) {
	u, err := url.Parse(strings.TrimSpace(n.Address))
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil || u.Fragment != "" || len(n.Address) > 2000 {
		return nil, view.Invalid.New(fmt.Sprintf("%q is no address that events can be sent to; write one such as https://ledger.example/hooks/twinsieve, without a name or password in it.", n.Address))
	}
	literal, err := netip.ParseAddr(u.Hostname())
	if named := strings.EqualFold(u.Hostname(), "localhost"); !v.options.WebhooksInside && (named || err == nil && inside(literal)) {
		return nil, view.NotAllowed.New((&ownNetworkError{u.Host}).Error() + ".")
	}
	if len(n.Events) == 0 {
		n.Events = webhookEvents
	}
	for _, e := range n.Events {
		if !slices.Contains(webhookEvents, e) {
			return nil, view.Invalid.New(fmt.Sprintf("%q is no event; write some of %s.", e, strings.Join(webhookEvents, ", ")))
		}
	}
	secret := newSecret("")
	row, err := v.store.AddWebhook(ctx, store.Webhook{Address: u.String(), Events: n.Events}, func(id uint) ([]byte, error) { return v.vault.Seal(webhookOwner(id), secret) })
	if err != nil {
		return nil, problem(err, "")
	}
	out := webhookOf(row)
	out.Secret = secret
	return &out, nil
}

// DropWebhook removes a webhook.
func (v *Service) DropWebhook(ctx context.Context, id uint) error {
	return problem(v.store.DropWebhook(ctx, id), fmt.Sprintf("webhook %d", id))
}

// TryWebhook sends a webhook an event that says nothing.
func (v *Service) TryWebhook(ctx context.Context, id uint) (*view.Delivery, error) {
	if _, err := v.store.Webhook(ctx, id); err != nil {
		return nil, problem(err, fmt.Sprintf("webhook %d", id))
	}
	body, err := json.Marshal(map[string]any{"event": store.EventTest, "at": time.Now().UTC()})
	if err != nil {
		return nil, err
	}
	d, err := v.store.AddDelivery(ctx, store.Delivery{WebhookID: id, Event: store.EventTest, Body: string(body)})
	if err != nil {
		return nil, problem(err, "")
	}
	v.courier.hurry()
	out := deliveryOf(d)
	return &out, nil
}

func deliveryOf(d store.Delivery) view.Delivery {
	out := view.Delivery{ID: d.ID, Event: d.Event, Body: json.RawMessage(d.Body), State: d.State, Attempts: d.Attempts, Status: d.Status, Error: d.Error, Created: d.Created, Finished: d.Finished}
	if d.State == store.DeliveryWaiting && d.Attempts > 0 {
		out.Next = &d.Due
	}
	return out
}

// Deliveries lists what was and is on its way to a webhook, the newest first.
func (v *Service) Deliveries(ctx context.Context, id uint) (*view.Deliveries, error) {
	if _, err := v.store.Webhook(ctx, id); err != nil {
		return nil, problem(err, fmt.Sprintf("webhook %d", id))
	}
	rows, err := v.store.Deliveries(ctx, id, 100)
	if err != nil {
		return nil, err
	}
	list := &view.Deliveries{Deliveries: []view.Delivery{}}
	for _, row := range rows {
		list.Deliveries = append(list.Deliveries, deliveryOf(row))
	}
	return list, nil
}
