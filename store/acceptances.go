package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Acceptances lists all that a sieve's crosswalk has had, the oldest first.
func (s *Store) Acceptances(ctx context.Context, sieve uint) (list []Acceptance, err error) {
	err = s.reads.WithContext(ctx).Where("sieve_id = ?", sieve).Order("id").Find(&list).Error
	return list, err
}

// Acceptance returns one entry of a crosswalk.
func (s *Store) Acceptance(ctx context.Context, id uint) (a Acceptance, err error) {
	err = s.reads.WithContext(ctx).Take(&a, id).Error
	return a, plainError(err)
}

// AddAcceptances adds entries to a sieve's crosswalk, all of them as one new version, in one transaction. check is asked with
// what the crosswalk is at that moment, and its error stops the change.
func (s *Store) AddAcceptances(ctx context.Context, sieve uint, list []Acceptance, check func(current []Acceptance) error) (version int, err error) {
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var current []Acceptance
		if err := tx.Where("sieve_id = ?", sieve).Order("id").Find(&current).Error; err != nil {
			return happened{}, err
		}
		if err := check(current); err != nil {
			return happened{}, err
		}
		version = CrosswalkVersion(current) + 1
		now, by := time.Now().UTC(), ActorOf(ctx).Name
		var bodies []string
		for i := range list {
			list[i].ID, list[i].SieveID, list[i].Version, list[i].Created, list[i].By = 0, sieve, version, now, by
			bodies = append(bodies, list[i].Body)
		}
		name, err := sieveName(tx, sieve)
		if err != nil {
			return happened{}, err
		}
		what := happened{action: "crosswalk.decided", kind: "sieve", subject: name}
		if len(list) > 0 {
			what.details = map[string]any{"version": version, "kind": list[0].Kind, "reason": list[0].Reason, "decisions": bodies}
		}
		return what, tx.CreateInBatches(list, 100).Error
	})
	return version, err
}

// EndAcceptance takes an entry of a sieve's crosswalk back, as a new version. What it was stays to be seen.
func (s *Store) EndAcceptance(ctx context.Context, sieve, id uint) (version int, err error) {
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var current []Acceptance
		if err := tx.Where("sieve_id = ?", sieve).Find(&current).Error; err != nil {
			return happened{}, err
		}
		version = CrosswalkVersion(current) + 1
		now := time.Now().UTC()
		done := tx.Model(&Acceptance{}).Where("id = ? AND sieve_id = ? AND ended_version = 0", id, sieve).
			Updates(map[string]any{"ended_version": version, "ended": now, "ended_by": ActorOf(ctx).Name})
		if done.Error != nil {
			return happened{}, done.Error
		}
		if done.RowsAffected == 0 {
			return happened{}, ErrNotFound
		}
		name, err := sieveName(tx, sieve)
		return happened{"crosswalk.taken-back", "sieve", name, map[string]any{"version": version, "entry": id}}, err
	})
	return version, plainError(err)
}

func sieveName(tx *gorm.DB, id uint) (name string, err error) {
	err = tx.Model(&Sieve{}).Where("id = ?", id).Pluck("name", &name).Error
	return name, err
}

// CrosswalkVersion is the version of a crosswalk that has had these entries; 0 where it has had none.
func CrosswalkVersion(list []Acceptance) (version int) {
	for _, a := range list {
		version = max(version, a.Version, a.EndedVersion)
	}
	return version
}
