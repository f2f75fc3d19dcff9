package store

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"gorm.io/gorm"
)

// Actor is who makes a change. The zero value is the service itself.
type Actor struct {
	ID   uint
	Name string
	Role string // what they may do; the history does not tell it
}

type actorKey struct{}

// As returns a context whose changes are made by somebody.
func As(ctx context.Context, a Actor) context.Context { return context.WithValue(ctx, actorKey{}, a) }

// ActorOf is who makes a context's changes.
func ActorOf(ctx context.Context) Actor {
	a, _ := ctx.Value(actorKey{}).(Actor)
	return a
}

// Event is an entry of the history: what somebody did. Entries are only ever added, each in the transaction of the change
// that it tells of, and each carries the hash of the one before, so that none can be altered or taken out unseen.
type Event struct {
	Seq      int64  `gorm:"primaryKey;autoIncrement:false"` // counted from 1, without a gap
	At       string // RFC 3339 in UTC
	PersonID uint   // 0: the service itself
	Person   string // the name at that time
	Action   string // such as sieve.changed
	Kind     string // of what was changed: set, sieve, run, exception, person, link, connection …
	Subject  string // its name
	Details  string // JSON
	Prev     string // hash of the entry before, in hex; empty for the first
	Hash     string // of everything above, in hex
}

// TableName implements gorm's tabler.
func (Event) TableName() string { return "history" }

// sum is the hash that an entry must have: SHA-256 over its fields, each behind its length.
func (e *Event) sum() string {
	h := sha256.New()
	for _, field := range []string{strconv.FormatInt(e.Seq, 10), e.At, strconv.FormatUint(uint64(e.PersonID), 10), e.Person, e.Action, e.Kind, e.Subject, e.Details, e.Prev} {
		h.Write(binary.BigEndian.AppendUint64(nil, uint64(len(field))))
		h.Write([]byte(field))
	}
	return hex.EncodeToString(h.Sum(nil))
}

// happened is what a change tells the history of itself.
type happened struct {
	action, kind, subject string
	details               any // written as JSON; nil: nothing more to say
}

// recorded makes a change and writes it into the history: both or neither. What has happened is asked for when the change
// has been made. A change that brought nothing about returns no action, and is not written down.
func (s *Store) recorded(ctx context.Context, p priority, do func(tx *gorm.DB) (happened, error)) error {
	return s.write(ctx, p, func(tx *gorm.DB) error {
		what, err := do(tx)
		if err != nil || what.action == "" {
			return err
		}
		_, err = writeDown(tx, ActorOf(ctx), what)
		return err
	})
}

// writeDown writes the next entry of the history and returns its number.
func writeDown(tx *gorm.DB, by Actor, what happened) (seq int64, err error) {
	var last []Event
	if err := tx.Order("seq DESC").Limit(1).Find(&last).Error; err != nil {
		return 0, err
	}
	e := Event{Seq: 1, At: time.Now().UTC().Format(time.RFC3339Nano), PersonID: by.ID, Person: by.Name, Action: what.action, Kind: what.kind, Subject: what.subject, Details: "{}"}
	if len(last) > 0 {
		e.Seq, e.Prev = last[0].Seq+1, last[0].Hash
	}
	if what.details != nil {
		text, err := json.Marshal(what.details)
		if err != nil {
			return 0, err
		}
		e.Details = string(text)
	}
	e.Hash = e.sum()
	return e.Seq, tx.Create(&e).Error
}

// HistoryQuery chooses entries of the history.
type HistoryQuery struct {
	Kind, Subject string // "": any
	Person        string // "": anybody
	Before        int64  // entries before this one; 0: from the newest on
	Limit         int
}

// History returns a page of the history, the newest first.
func (s *Store) History(ctx context.Context, q HistoryQuery) (list []Event, err error) {
	db := s.reads.WithContext(ctx)
	for column, value := range map[string]string{"kind": q.Kind, "subject": q.Subject, "person": q.Person} {
		if value != "" {
			db = db.Where(column+" = ?", value)
		}
	}
	if q.Before > 0 {
		db = db.Where("seq < ?", q.Before)
	}
	err = db.Order("seq DESC").Limit(q.Limit).Find(&list).Error
	return list, err
}

// NewestEvent is the newest entry of the history; its Seq is 0 where there is none.
func (s *Store) NewestEvent(ctx context.Context) (e Event, err error) {
	var last []Event
	if err = s.reads.WithContext(ctx).Order("seq DESC").Limit(1).Find(&last).Error; err == nil && len(last) > 0 {
		e = last[0]
	}
	return e, err
}

// Verified is what checking the history found.
type Verified struct {
	Entries int64
	Newest  string // hash of the newest entry
	Broken  int64  // the first entry that is not as it was written, or is not there; 0: the chain holds
	Why     string
}

// Verify walks the whole history from its first entry on, and says where it does not hold. Entries that are named by
// stated, number and hash or the beginning of it, must be there; so an end that was taken away is found, too.
func (s *Store) Verify(ctx context.Context, stated map[int64]string) (v Verified, err error) {
	broken := func(seq int64, why string, args ...any) {
		if v.Broken == 0 {
			v.Broken, v.Why = seq, fmt.Sprintf(why, args...)
		}
	}
	var page []Event
	result := s.reads.WithContext(ctx).FindInBatches(&page, 1000, func(*gorm.DB, int) error {
		for i := range page {
			e := &page[i]
			switch {
			case e.Seq != v.Entries+1:
				broken(v.Entries+1, "entry %d is not there", v.Entries+1)
			case e.Prev != v.Newest:
				broken(e.Seq, "entry %d does not follow from the one before it", e.Seq)
			case e.Hash != e.sum():
				broken(e.Seq, "entry %d does not say what was written", e.Seq)
			}
			if want, ok := stated[e.Seq]; ok {
				if len(want) < 8 || len(want) > len(e.Hash) || e.Hash[:len(want)] != want {
					broken(e.Seq, "entry %d is another than the one that was stated", e.Seq)
				}
				delete(stated, e.Seq)
			}
			v.Entries, v.Newest = e.Seq, e.Hash
		}
		return ctx.Err()
	})
	for seq := range stated {
		if seq > v.Entries {
			broken(v.Entries+1, "entry %d was stated, and the history ends with %d", seq, v.Entries)
		} else {
			broken(seq, "entry %d was stated, and is not there", seq)
		}
	}
	return v, result.Error
}
