package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// PutJob writes a job's state.
func (s *Store) PutJob(ctx context.Context, j Job) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error { return tx.Save(&j).Error })
}

// Job returns a job.
func (s *Store) Job(ctx context.Context, id string) (j Job, err error) {
	err = s.reads.WithContext(ctx).Where("id = ?", id).Take(&j).Error
	return j, plainError(err)
}

// Jobs lists jobs, the newest first.
func (s *Store) Jobs(ctx context.Context, limit int) (jobs []Job, err error) {
	err = s.reads.WithContext(ctx).Order("started DESC").Limit(limit).Find(&jobs).Error
	return jobs, err
}

// ForgetJobs removes ended jobs of a kind that started before the given time.
func (s *Store) ForgetJobs(ctx context.Context, kind string, before time.Time) error {
	return s.write(ctx, bulk, func(tx *gorm.DB) error {
		return tx.Where("kind = ? AND started < ? AND finished IS NOT NULL", kind, before).Delete(&Job{}).Error
	})
}
