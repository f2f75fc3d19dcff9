package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
)

// ErrSigned says that a report is signed, so that nothing of it changes.
var ErrSigned = errors.New("the report is signed")

// ConflictError says that exceptions have been changed by others since somebody looked at them.
type ConflictError struct {
	Exceptions int64
	First      []Exception // some of them
	Moved      bool        // a later run has found other values
}

// Error implements error.
func (e *ConflictError) Error() string {
	return fmt.Sprintf("%d exceptions have been changed meanwhile", e.Exceptions)
}

// CountError says that another number of exceptions is chosen than was meant.
type CountError struct{ Meant, Chosen int64 }

// Error implements error.
func (e *CountError) Error() string {
	return fmt.Sprintf("%d exceptions are chosen, and %d were meant", e.Chosen, e.Meant)
}

// WorkChange is what is to become of exceptions. What is nil stays as it is.
type WorkChange struct {
	Status *string `json:"status,omitempty"`
	Owner  *string `json:"owner,omitempty"`
	Reason *string `json:"reason,omitempty"`
}

// Action is a change of one exception or several that can be undone as one.
type Action struct {
	ID       uint
	RunID    uint
	PersonID uint
	Person   string
	Says     string
	Items    int64
	Created  time.Time
	Undone   *time.Time
	UndoneBy string
}

// WorkOn says which exceptions are changed, and what has been seen of them.
type WorkOn struct {
	Chosen  EntryQuery // of a run
	Version int        // of a single exception: what it must be; 0: any
	Count   *int64     // how many are meant to be chosen; nil: any number
	Seen    int64      // entry of the history up to which its author has seen changes
	Over    string     // what becomes of exceptions that others have changed since: "" refuses the whole change, "skip" leaves them, "overwrite" changes them all the same
	Says    string     // what is done, in plain words
}

// Work changes the exceptions of a run that are chosen, in one transaction that can be undone as one. It returns what was done;
// its Items may be fewer than were chosen, where some are as they are to be already.
func (s *Store) Work(ctx context.Context, on WorkOn, change WorkChange) (a Action, err error) {
	by := ActorOf(ctx)
	err = s.write(ctx, urgent, func(tx *gorm.DB) error {
		if err := unsigned(tx, on.Chosen.Run); err != nil {
			return err
		}
		ids, err := s.choose(tx, on.Chosen)
		if err != nil {
			return err
		}
		if n := int64(len(ids)); on.Count != nil && n != *on.Count {
			return &CountError{*on.Count, n}
		}
		if err := s.touch(tx, on.Chosen.Run, ids); err != nil {
			return err
		}
		if err := refuseStale(tx, on, by); err != nil {
			return err
		}
		// What is as it is to be already is not changed.
		sets, values, other := "", []any{}, tx.Where("1 = 0")
		for _, part := range []struct {
			column string
			to     *string
		}{{"status", change.Status}, {"owner", change.Owner}, {"reason", change.Reason}} {
			if part.to != nil {
				sets, values = sets+part.column+" = ?, ", append(values, *part.to)
				other = other.Or(part.column+" <> ?", *part.to)
			}
		}
		if err := tx.Exec("DELETE FROM chosen WHERE id NOT IN (?)", tx.Model(&Exception{}).Select("id").Where("id IN (SELECT id FROM chosen)").Where(other)).Error; err != nil {
			return err
		}
		if err := tx.Raw("SELECT count(*) FROM chosen").Scan(&a.Items).Error; err != nil {
			return err
		}
		if a.Items == 0 {
			return nil
		}
		a.RunID, a.PersonID, a.Person, a.Says, a.Created = on.Chosen.Run, by.ID, by.Name, on.Says, time.Now().UTC()
		if err := tx.Create(&a).Error; err != nil {
			return err
		}
		err = tx.Exec(`INSERT INTO action_items SELECT ?, x.id, x.status, x.owner, x.reason, x.settled, x.version + 1 FROM chosen c CROSS JOIN exceptions x ON x.id = c.id`, a.ID).Error
		if err != nil {
			return err
		}
		seq, err := writeDown(tx, by, happened{"exceptions.changed", "run", fmt.Sprint(on.Chosen.Run), map[string]any{"action": a.ID, "exceptions": a.Items, "says": on.Says, "change": change}})
		if err != nil {
			return err
		}
		if change.Owner != nil && *change.Owner != "" {
			owned := tx.Raw("SELECT c.id FROM chosen c JOIN exceptions x ON x.id = c.id WHERE x.owner <> ? ORDER BY c.id", *change.Owner)
			if err := announceOwned(tx, on.Chosen.Run, *change.Owner, by, owned); err != nil {
				return err
			}
		}
		settled := ""
		if change.Status != nil {
			settled = "settled = CASE WHEN ? IN ('open', 'in-progress') THEN NULL ELSE coalesce(settled, ?) END, "
			values = append(values, *change.Status, a.Created)
		}
		values = append(values, seq, by.Name)
		return tx.Exec("UPDATE exceptions SET "+sets+settled+"version = version + 1, changed_seq = ?, changed_by = ? WHERE id IN (SELECT id FROM chosen)", values...).Error
	})
	return a, plainError(err)
}

// choose puts the exceptions of the entries that are chosen into the table of what is to be changed.
func (s *Store) choose(tx *gorm.DB, q EntryQuery) (ids []uint, err error) {
	for _, sql := range []string{"CREATE TEMP TABLE IF NOT EXISTS chosen (id INTEGER PRIMARY KEY)", "DELETE FROM chosen"} {
		if err := tx.Exec(sql).Error; err != nil {
			return nil, err
		}
	}
	chosen := q.Chooser()
	err = s.eachAsked(tx.Statement.Context, &q, 1, func(list []Entry) (bool, error) {
		for i := range list {
			if row := list[i].DeskRow(); row.Exception > 0 && chosen(&row) {
				ids = append(ids, row.Exception)
			}
		}
		return false, nil
	})
	if err != nil {
		return nil, err
	}
	return ids, tx.Exec("INSERT OR IGNORE INTO chosen SELECT value FROM json_each(?)", numbers(ids)).Error
}

// refuseStale refuses, or leaves out, what others have changed since the author of a change has looked.
func refuseStale(tx *gorm.DB, on WorkOn, by Actor) error {
	if on.Over == "overwrite" {
		return nil
	}
	stale := tx.Model(&Exception{}).Where("id IN (SELECT id FROM chosen)")
	if on.Version > 0 {
		stale = stale.Where("version <> ? OR moved_run > ?", on.Version, on.Chosen.Run)
	} else {
		stale = stale.Where("changed_seq > ? AND changed_by <> ? OR moved_run > ?", on.Seen, by.Name, on.Chosen.Run)
	}
	if on.Over == "skip" {
		return tx.Exec("DELETE FROM chosen WHERE id IN (?)", stale.Select("id")).Error
	}
	e := &ConflictError{}
	if err := stale.Session(&gorm.Session{}).Count(&e.Exceptions).Error; err != nil || e.Exceptions == 0 {
		return err
	}
	if err := stale.Session(&gorm.Session{}).Order("id").Limit(10).Find(&e.First).Error; err != nil {
		return err
	}
	e.Moved = slices.ContainsFunc(e.First, func(x Exception) bool { return x.MovedRun > on.Chosen.Run })
	return e
}

// announceOwned tells the webhooks that exceptions have another owner now: those whose ids a query gives.
func announceOwned(tx *gorm.DB, run uint, owner string, by Actor, query *gorm.DB) error {
	var ids []uint
	if err := query.Scan(&ids).Error; err != nil || len(ids) == 0 {
		return err
	}
	const most = 100 // that are named
	return announce(tx, EventOwned, map[string]any{"report": run, "owner": owner, "by": by.Name, "count": len(ids), "exceptions": ids[:min(len(ids), most)]})
}

// unsigned refuses changes to a signed report.
func unsigned(tx *gorm.DB, run uint) error {
	var signed int64
	if err := tx.Raw("SELECT count(*) FROM sign_offs WHERE run_id = ? AND state = 'signed'", run).Scan(&signed).Error; err != nil {
		return err
	}
	if signed > 0 {
		return ErrSigned
	}
	return nil
}

// Action returns something that was done.
func (s *Store) Action(ctx context.Context, id uint) (a Action, err error) {
	err = s.reads.WithContext(ctx).Take(&a, id).Error
	return a, plainError(err)
}

// Actions lists what was done in a run's report, the newest first.
func (s *Store) Actions(ctx context.Context, run uint, limit int) (list []Action, err error) {
	err = s.reads.WithContext(ctx).Where("run_id = ?", run).Order("id DESC").Limit(limit).Find(&list).Error
	return list, err
}

// Undo takes back what an action has changed: each of its exceptions is as it was before. Those that have been changed since stay
// as they are; kept is how many. An action that was undone already is [ErrNotFound].
func (s *Store) Undo(ctx context.Context, id uint) (a Action, kept int64, err error) {
	by := ActorOf(ctx)
	err = s.write(ctx, urgent, func(tx *gorm.DB) error {
		if err := tx.Where("undone IS NULL").Take(&a, id).Error; err != nil {
			return err
		}
		if err := unsigned(tx, a.RunID); err != nil {
			return err
		}
		for _, sql := range []string{"CREATE TEMP TABLE IF NOT EXISTS chosen (id INTEGER PRIMARY KEY)", "DELETE FROM chosen"} {
			if err := tx.Exec(sql).Error; err != nil {
				return err
			}
		}
		if err := tx.Exec("INSERT INTO chosen SELECT x.id FROM exceptions x JOIN action_items i ON i.exception_id = x.id AND i.version = x.version WHERE i.action_id = ?", id).Error; err != nil {
			return err
		}
		var undone int64
		if err := tx.Raw("SELECT count(*) FROM chosen").Scan(&undone).Error; err != nil {
			return err
		}
		kept = a.Items - undone
		now := time.Now().UTC()
		a.Undone, a.UndoneBy = &now, by.Name
		if err := tx.Save(&a).Error; err != nil {
			return err
		}
		seq, err := writeDown(tx, by, happened{"exceptions.undone", "run", fmt.Sprint(a.RunID), map[string]any{"action": id, "exceptions": undone, "kept": kept, "says": a.Says}})
		if err != nil {
			return err
		}
		var owners []string
		const given = `FROM chosen c JOIN action_items i ON i.action_id = ? AND i.exception_id = c.id JOIN exceptions x ON x.id = c.id WHERE i.owner <> '' AND i.owner <> x.owner`
		if err := tx.Raw("SELECT DISTINCT i.owner "+given+" ORDER BY 1", id).Scan(&owners).Error; err != nil {
			return err
		}
		for _, owner := range owners {
			if err := announceOwned(tx, a.RunID, owner, by, tx.Raw("SELECT c.id "+given+" AND i.owner = ? ORDER BY c.id", id, owner)); err != nil {
				return err
			}
		}
		// What was done before it can be undone next: it stands as that left it.
		err = tx.Exec(`UPDATE action_items SET version = u.version + 1 FROM action_items u WHERE u.action_id = ? AND u.exception_id IN (SELECT id FROM chosen)
			AND action_items.exception_id = u.exception_id AND action_items.version = u.version - 1`, id).Error
		if err != nil {
			return err
		}
		err = tx.Exec(`UPDATE exceptions SET status = i.status, owner = i.owner, reason = i.reason, settled = i.settled, version = exceptions.version + 1, changed_seq = ?, changed_by = ?
			FROM action_items i WHERE i.action_id = ? AND i.exception_id = exceptions.id AND exceptions.id IN (SELECT id FROM chosen)`, seq, by.Name, id).Error
		return err
	})
	return a, kept, plainError(err)
}

// Comment is what somebody says about an exception.
type Comment struct {
	ID          uint
	ExceptionID uint
	PersonID    uint
	Person      string
	Text        string
	Created     time.Time
}

// Mention is a person being named in a comment.
type Mention struct {
	CommentID   uint `gorm:"primaryKey;autoIncrement:false"`
	PersonID    uint `gorm:"primaryKey;autoIncrement:false"`
	ExceptionID uint
	Seen        bool
}

// AddComment adds a comment to an exception, and mentions people. run is the report in which it is made; a signed one takes none.
func (s *Store) AddComment(ctx context.Context, run, exception uint, text string, mentioned []Person) (c Comment, err error) {
	by := ActorOf(ctx)
	c = Comment{ExceptionID: exception, PersonID: by.ID, Person: by.Name, Text: text, Created: time.Now().UTC()}
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := unsigned(tx, run); err != nil {
			return happened{}, err
		}
		if err := s.touch(tx, run, []uint{exception}); err != nil {
			return happened{}, err
		}
		if err := tx.Create(&c).Error; err != nil {
			return happened{}, err
		}
		var names []string
		for _, p := range mentioned {
			names = append(names, p.Name)
			if err := tx.Create(&Mention{CommentID: c.ID, PersonID: p.ID, ExceptionID: exception}).Error; err != nil {
				return happened{}, err
			}
		}
		err := tx.Exec("UPDATE exceptions SET comments = comments + 1 WHERE id = ?", exception).Error
		return happened{"exception.commented", "exception", fmt.Sprint(exception), map[string]any{"run": run, "text": text, "mentions": names}}, err
	})
	return c, err
}

// Comments lists what was said about an exception, the oldest first.
func (s *Store) Comments(ctx context.Context, exception uint) (list []Comment, err error) {
	err = s.reads.WithContext(ctx).Where("exception_id = ?", exception).Order("id").Find(&list).Error
	return list, err
}

// SeeMentions writes down that a person has seen where an exception's comments mention them.
func (s *Store) SeeMentions(ctx context.Context, person, exception uint) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		return tx.Model(&Mention{}).Where("person_id = ? AND exception_id = ? AND seen = 0", person, exception).Update("seen", true).Error
	})
}

// Attachment is a file that somebody has put to an exception.
type Attachment struct {
	ID          uint
	ExceptionID uint
	Person      string
	Name        string
	Bytes       int64
	Hash        string // SHA-256 of its content, in hex
	Created     time.Time
}

// AddAttachment puts a file to an exception.
func (s *Store) AddAttachment(ctx context.Context, run uint, a Attachment, content []byte) (Attachment, error) {
	a.Person, a.Created = ActorOf(ctx).Name, time.Now().UTC()
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := unsigned(tx, run); err != nil {
			return happened{}, err
		}
		if err := s.touch(tx, run, []uint{a.ExceptionID}); err != nil {
			return happened{}, err
		}
		if err := tx.Create(&a).Error; err != nil {
			return happened{}, err
		}
		if err := tx.Exec("INSERT INTO attachment_blobs VALUES (?, ?)", a.ID, content).Error; err != nil {
			return happened{}, err
		}
		err := tx.Exec("UPDATE exceptions SET attachments = attachments + 1 WHERE id = ?", a.ExceptionID).Error
		return happened{"exception.attached", "exception", fmt.Sprint(a.ExceptionID), map[string]any{"run": run, "name": a.Name, "hash": a.Hash, "bytes": a.Bytes}}, err
	})
	return a, err
}

// Attachments lists the files of an exception, the oldest first.
func (s *Store) Attachments(ctx context.Context, exception uint) (list []Attachment, err error) {
	err = s.reads.WithContext(ctx).Where("exception_id = ?", exception).Order("id").Find(&list).Error
	return list, err
}

// Attachment returns a file and its content.
func (s *Store) Attachment(ctx context.Context, id uint) (a Attachment, content []byte, err error) {
	if err = s.reads.WithContext(ctx).Take(&a, id).Error; err != nil {
		return a, nil, plainError(err)
	}
	err = s.reads.WithContext(ctx).Raw("SELECT blob FROM attachment_blobs WHERE id = ?", id).Row().Scan(&content)
	return a, content, err
}

// Reason is one that exceptions can be given.
type Reason struct {
	ID     uint
	Text   string
	Active bool
}

// Reasons lists the reasons.
func (s *Store) Reasons(ctx context.Context) (list []Reason, err error) {
	err = s.reads.WithContext(ctx).Order("id").Find(&list).Error
	return list, err
}

// SetReasons replaces the list of reasons, where it is still the one that was seen; if not, the error is [ErrChanged]. Those that are not in the
// new list are kept for the exceptions that have them, and can be given no more.
func (s *Store) SetReasons(ctx context.Context, texts, seen []string) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var now []string
		if err := tx.Model(&Reason{}).Where("active = 1").Order("id").Pluck("text", &now).Error; err != nil {
			return happened{}, err
		}
		if !slices.Equal(now, seen) {
			return happened{}, ErrChanged
		}
		if err := tx.Model(&Reason{}).Where("active = 1").Update("active", false).Error; err != nil {
			return happened{}, err
		}
		for _, text := range texts {
			if err := tx.Exec("INSERT INTO reasons (text, active) VALUES (?, 1) ON CONFLICT (text) DO UPDATE SET active = 1", text).Error; err != nil {
				return happened{}, err
			}
		}
		list, err := json.Marshal(texts)
		return happened{"reasons.changed", "reasons", "", map[string]any{"reasons": json.RawMessage(list)}}, err
	})
}
