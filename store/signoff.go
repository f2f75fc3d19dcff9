package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// The states of a report on its way to being signed.
const (
	ReportDraft     = "draft"
	ReportSubmitted = "submitted"
	ReportSigned    = "signed"
)

// SignOff is how far a report is on its way to being signed. A report that nobody has submitted has the zero value, but for its run.
type SignOff struct {
	RunID     uint `gorm:"primaryKey;autoIncrement:false"`
	State     string
	Version   int
	Preparer  string // who submitted it
	Submitted *time.Time
	Reviewer  string // who signed it or sent it back
	Signed    *time.Time
	Note      string // why it was sent back or reopened
}

// SignOff returns how far a report is.
func (s *Store) SignOff(ctx context.Context, run uint) (o SignOff, err error) {
	err = s.reads.WithContext(ctx).Take(&o, run).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return SignOff{RunID: run, State: ReportDraft}, nil
	}
	return o, err
}

// SignOffs returns how far reports are, of those that anybody has submitted.
func (s *Store) SignOffs(ctx context.Context, runs []uint) (list []SignOff, err error) {
	err = s.reads.WithContext(ctx).Where("run_id IN ?", runs).Find(&list).Error
	return list, err
}

// ChangeSignOff changes how far a report is, as change says with what it is at that moment, where version is still the newest;
// if it is not, the error is [ErrChanged]. action is what the history is told.
func (s *Store) ChangeSignOff(ctx context.Context, run uint, version int, action string, change func(*SignOff) error) (o SignOff, err error) {
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		o = SignOff{RunID: run, State: ReportDraft}
		if err := tx.Where("run_id = ?", run).Limit(1).Find(&o).Error; err != nil {
			return happened{}, err
		}
		if o.Version != version {
			return happened{}, ErrChanged
		}
		was := o.State
		if err := change(&o); err != nil {
			return happened{}, err
		}
		o.Version++
		if err := tx.Save(&o).Error; err != nil {
			return happened{}, err
		}
		if was != ReportSigned && o.State == ReportSigned {
			if err := s.freeze(tx, run); err != nil {
				return happened{}, err
			}
		}
		return happened{action, "run", fmt.Sprint(run), map[string]any{"state": o.State, "note": o.Note, "preparer": o.Preparer}}, nil
	})
	return o, err
}
