package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Schedule says when a sieve runs by itself.
type Schedule struct {
	SieveID  uint   `gorm:"primaryKey;autoIncrement:false"`
	Cron     string // five fields; empty: not by the clock
	Zone     string // time zone of the fields
	Watch    bool   // when files in the service's folder have come
	Both     bool   // only once both sides are newer than those of its last run
	Active   bool
	PersonID uint // on whose behalf it runs
	Person   string
	Version  int
	Fired    time.Time // the last firing that was due and is done with
	Says     string    // how it went last, in plain words
	At       time.Time // when
	Updated  time.Time
	Marks    map[string]string `gorm:"serializer:json"` // by set: size and time of the file that it was loaded from last
}

// Schedules lists all schedules.
func (s *Store) Schedules(ctx context.Context) (list []Schedule, err error) {
	err = s.reads.WithContext(ctx).Where("sieve_id IN (SELECT id FROM sieves)").Order("sieve_id").Find(&list).Error
	return list, err
}

// Schedule returns when a sieve runs by itself; the zero value with its number where nobody has said.
func (s *Store) Schedule(ctx context.Context, sieve uint) (Schedule, error) {
	one := Schedule{SieveID: sieve}
	err := s.reads.WithContext(ctx).Where("sieve_id = ?", sieve).Limit(1).Find(&one).Error
	return one, err
}

// PutSchedule says when a sieve runs by itself, where version is still the newest; if it is not, the error is [ErrChanged].
func (s *Store) PutSchedule(ctx context.Context, one Schedule, version int) (Schedule, error) {
	by := ActorOf(ctx)
	now := time.Now().UTC()
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		before := Schedule{}
		if err := tx.Where("sieve_id = ?", one.SieveID).Limit(1).Find(&before).Error; err != nil {
			return happened{}, err
		}
		if before.Version != version {
			return happened{}, ErrChanged
		}
		name, err := sieveName(tx, one.SieveID)
		if err != nil {
			return happened{}, err
		}
		one.PersonID, one.Person, one.Version, one.Fired, one.Updated, one.Says, one.At = by.ID, by.Name, version+1, now, now, "", now
		what := happened{"sieve.scheduled", "sieve", name, map[string]any{"cron": one.Cron, "zone": one.Zone, "watch": one.Watch, "both": one.Both, "active": one.Active}}
		return what, tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&one).Error
	})
	return one, err
}

// SaySchedule writes down that firings up to a time are done with, how the last one went, and which files were loaded.
func (s *Store) SaySchedule(ctx context.Context, sieve uint, fired time.Time, says string, marks map[string]string) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		var one Schedule
		if err := tx.Where("sieve_id = ?", sieve).Take(&one).Error; err != nil {
			return err
		}
		one.Says, one.At, one.Marks = says, time.Now().UTC(), marks
		if !fired.IsZero() {
			one.Fired = fired
		}
		return tx.Save(&one).Error
	})
}
