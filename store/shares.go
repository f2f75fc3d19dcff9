package store

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// Share is a link by which others, who need not sign in, read a report.
type Share struct {
	ID      uint
	Hash    string // of its code
	RunID   uint
	Query   string // JSON: which entries it shows
	Says    string // the same, in plain words
	Person  string // who made it
	Created time.Time
	Expires time.Time
	Revoked *time.Time
}

// AddShare keeps a link.
func (s *Store) AddShare(ctx context.Context, share Share) (Share, error) {
	share.Person, share.Created = ActorOf(ctx).Name, time.Now().UTC()
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		err := tx.Create(&share).Error
		return happened{"report.shared", "run", fmt.Sprint(share.RunID), map[string]any{"share": share.ID, "expires": share.Expires, "says": share.Says}}, err
	})
	return share, err
}

// Shares lists the links to a report that have neither ended nor been revoked, the newest first.
func (s *Store) Shares(ctx context.Context, run uint) (list []Share, err error) {
	err = s.reads.WithContext(ctx).Where("run_id = ? AND revoked IS NULL AND expires > ?", run, time.Now().UTC()).Order("id DESC").Find(&list).Error
	return list, err
}

// Share returns the link with a hash, where it works.
func (s *Store) Share(ctx context.Context, hash string) (share Share, err error) {
	err = s.reads.WithContext(ctx).Where("hash = ? AND revoked IS NULL AND expires > ?", hash, time.Now().UTC()).Take(&share).Error
	return share, plainError(err)
}

// RevokeShare ends a link to a report.
func (s *Store) RevokeShare(ctx context.Context, run, id uint) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var share Share
		if err := tx.Where("run_id = ? AND revoked IS NULL", run).Take(&share, id).Error; err != nil {
			return happened{}, err
		}
		now := time.Now().UTC()
		share.Revoked = &now
		return happened{"report.unshared", "run", fmt.Sprint(run), map[string]any{"share": id}}, tx.Save(&share).Error
	})
}
