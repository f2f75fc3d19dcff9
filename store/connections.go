package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Connections lists the connections by name.
func (s *Store) Connections(ctx context.Context) (list []Connection, err error) {
	err = s.reads.WithContext(ctx).Order("name").Find(&list).Error
	return list, err
}

// Connection returns a connection.
func (s *Store) Connection(ctx context.Context, name string) (c Connection, err error) {
	err = s.reads.WithContext(ctx).Where("name = ?", name).Take(&c).Error
	return c, plainError(err)
}

// CreateConnection saves a new connection as version 1. A name that is there already is [ErrNameTaken].
func (s *Store) CreateConnection(ctx context.Context, c Connection) (Connection, error) {
	now := time.Now().UTC()
	c.Version, c.Created, c.Updated = 1, now, now
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		return happened{"connection.saved", "connection", c.Name, map[string]any{"version": 1}}, tx.Create(&c).Error
	})
	return c, err
}

// UpdateConnection replaces what a connection says and keeps secret, where version is still its newest one. If it is not,
// the error is [ErrChanged].
func (s *Store) UpdateConnection(ctx context.Context, name string, version int, body string, secret []byte) (c Connection, err error) {
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := tx.Where("name = ?", name).Take(&c).Error; err != nil {
			return happened{}, err
		}
		if c.Version != version {
			return happened{}, ErrChanged
		}
		c.Body, c.Secret, c.Version, c.Updated = body, secret, version+1, time.Now().UTC()
		return happened{"connection.saved", "connection", name, map[string]any{"version": c.Version}}, tx.Save(&c).Error
	})
	return c, err
}

// DeleteConnection removes a connection where version is still its newest one.
func (s *Store) DeleteConnection(ctx context.Context, name string, version int) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var c Connection
		if err := tx.Where("name = ?", name).Take(&c).Error; err != nil {
			return happened{}, err
		}
		if c.Version != version {
			return happened{}, ErrChanged
		}
		return happened{"connection.deleted", "connection", name, nil}, tx.Delete(&c).Error
	})
}
