package store

import (
	"context"
	"strings"
	"time"

	"gorm.io/gorm"
)

// SavedFilter is what a person looks for in reports again and again.
type SavedFilter struct {
	ID       uint
	PersonID uint
	Name     string
	Query    string // as it stands in the address of a report
	Created  time.Time
}

// SavedFilters lists a person's filters by name.
func (s *Store) SavedFilters(ctx context.Context, person uint) (list []SavedFilter, err error) {
	err = s.reads.WithContext(ctx).Where("person_id = ?", person).Order("name").Find(&list).Error
	return list, err
}

// SaveFilter keeps a filter under a name; one that was kept under it is replaced.
func (s *Store) SaveFilter(ctx context.Context, f SavedFilter) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO saved_filters (person_id, name, query, created) VALUES (?, ?, ?, ?) ON CONFLICT (person_id, name) DO UPDATE SET query = excluded.query",
			f.PersonID, f.Name, f.Query, time.Now().UTC()).Error
	})
}

// DropFilter forgets a filter.
func (s *Store) DropFilter(ctx context.Context, person uint, name string) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		done := tx.Where("person_id = ? AND name = ?", person, strings.TrimSpace(name)).Delete(&SavedFilter{})
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrNotFound
		}
		return done.Error
	})
}
