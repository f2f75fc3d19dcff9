package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Sieves lists the sieves by name, each with its newest definition.
func (s *Store) Sieves(ctx context.Context) (sieves []Sieve, definitions []string, err error) {
	if err = s.reads.WithContext(ctx).Order("name").Find(&sieves).Error; err != nil {
		return nil, nil, err
	}
	for _, v := range sieves {
		d, err := s.definition(ctx, v.ID, v.Version)
		if err != nil {
			return nil, nil, err
		}
		definitions = append(definitions, d)
	}
	return sieves, definitions, nil
}

// SieveNames lists the names of the sieves.
func (s *Store) SieveNames(ctx context.Context) (names []string, err error) {
	err = s.reads.WithContext(ctx).Model(&Sieve{}).Order("name").Pluck("name", &names).Error
	return names, err
}

// Sieve returns a sieve and its newest definition.
func (s *Store) Sieve(ctx context.Context, name string) (v Sieve, definition string, err error) {
	if err = s.reads.WithContext(ctx).Where("name = ?", name).Take(&v).Error; err != nil {
		return v, "", plainError(err)
	}
	definition, err = s.definition(ctx, v.ID, v.Version)
	return v, definition, err
}

func (s *Store) definition(ctx context.Context, sieve uint, version int) (string, error) {
	var v SieveVersion
	err := s.reads.WithContext(ctx).Where("sieve_id = ? AND version = ?", sieve, version).Take(&v).Error
	return v.Definition, plainError(err)
}

// CreateSieve saves a new sieve as version 1. A name that is there already is [ErrNameTaken].
func (s *Store) CreateSieve(ctx context.Context, name, definition string) (Sieve, error) {
	now := time.Now().UTC()
	v := Sieve{Name: name, Version: 1, Created: now, Updated: now}
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := tx.Create(&v).Error; err != nil {
			return happened{}, err
		}
		return happened{"sieve.made", "sieve", name, map[string]any{"definition": definition}}, tx.Create(&SieveVersion{v.ID, v.Version, definition, now}).Error
	})
	return v, err
}

// UpdateSieve saves a new version of a sieve, under a name that may be new, where version is still the newest one. If it
// is not, the error is [ErrChanged]. turn, where there is one, makes of what people have accepted what it is for the new version.
func (s *Store) UpdateSieve(ctx context.Context, name string, version int, newName, definition string, turn func(body string) (string, error)) (v Sieve, err error) {
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := tx.Where("name = ?", name).Take(&v).Error; err != nil {
			return happened{}, err
		}
		if v.Version != version {
			return happened{}, ErrChanged
		}
		if turn != nil {
			if err := turnAcceptances(tx, v.ID, turn); err != nil {
				return happened{}, err
			}
		}
		v.Name, v.Version, v.Updated = newName, version+1, time.Now().UTC()
		if err := tx.Save(&v).Error; err != nil {
			return happened{}, err
		}
		what := happened{"sieve.changed", "sieve", newName, map[string]any{"version": v.Version, "was": name, "definition": definition}}
		return what, tx.Create(&SieveVersion{v.ID, v.Version, definition, v.Updated}).Error
	})
	return v, err
}

func turnAcceptances(tx *gorm.DB, sieve uint, turn func(string) (string, error)) error {
	var list []Acceptance
	if err := tx.Where("sieve_id = ?", sieve).Find(&list).Error; err != nil {
		return err
	}
	for _, a := range list {
		body, err := turn(a.Body)
		if err == nil {
			err = tx.Model(&Acceptance{}).Where("id = ?", a.ID).Update("body", body).Error
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// DeleteSieve removes a sieve where version is still the newest one. Its runs stay.
func (s *Store) DeleteSieve(ctx context.Context, name string, version int) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var v Sieve
		if err := tx.Where("name = ?", name).Take(&v).Error; err != nil {
			return happened{}, err
		}
		if v.Version != version {
			return happened{}, ErrChanged
		}
		for _, of := range []any{&SieveVersion{}, &Acceptance{}} {
			if err := tx.Where("sieve_id = ?", v.ID).Delete(of).Error; err != nil {
				return happened{}, err
			}
		}
		return happened{"sieve.deleted", "sieve", name, nil}, tx.Delete(&v).Error
	})
}

// SieveNow returns a sieve and its newest definition by its number, whatever its name.
func (s *Store) SieveNow(ctx context.Context, id uint) (v Sieve, definition string, err error) {
	if v, err = s.SieveByID(ctx, id); err != nil {
		return v, "", err
	}
	definition, err = s.definition(ctx, v.ID, v.Version)
	return v, definition, err
}

// SieveByID returns a sieve by its number, whatever its name.
func (s *Store) SieveByID(ctx context.Context, id uint) (v Sieve, err error) {
	err = s.reads.WithContext(ctx).Take(&v, id).Error
	return v, plainError(err)
}
