package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
)

// Person is somebody who can sign in. People are never deleted, for the history speaks of them; they are made inactive.
type Person struct {
	ID       uint
	Name     string // by which they sign in and are mentioned
	FullName string
	Role     string
	Password string // its hash; empty: none has been set yet
	Active   bool
	Version  int
	Created  time.Time
	Updated  time.Time
}

// Session is somebody being signed in with a browser.
type Session struct {
	Hash     string `gorm:"primaryKey"` // of what the cookie holds
	PersonID uint
	Created  time.Time
	Seen     time.Time
	Expires  time.Time
}

// Token lets a program act for a person.
type Token struct {
	ID       uint
	PersonID uint
	Label    string
	Hash     string // of the token
	Created  time.Time
	Expires  time.Time
	Seen     *time.Time
	Revoked  *time.Time
}

// The kinds of one-time links.
const (
	WelcomeLink  = "welcome"  // makes the first admin
	PasswordLink = "password" // lets a person set a password
	EntryLink    = "entry"    // signs a person in
)

// Link is a link that can be used once.
type Link struct {
	Hash     string `gorm:"primaryKey"`
	Kind     string
	PersonID uint // 0: nobody yet
	Created  time.Time
	Expires  time.Time
	Used     *time.Time
}

// ErrLastAdmin says that nobody would be left who could let others in.
var ErrLastAdmin = errors.New("somebody must stay an admin")

// People lists the people by name.
func (s *Store) People(ctx context.Context) (list []Person, err error) {
	err = s.reads.WithContext(ctx).Order("name").Find(&list).Error
	return list, err
}

// Person returns a person by name.
func (s *Store) Person(ctx context.Context, name string) (p Person, err error) {
	err = s.reads.WithContext(ctx).Where("name = ?", name).Take(&p).Error
	return p, plainError(err)
}

// PersonByID returns a person.
func (s *Store) PersonByID(ctx context.Context, id uint) (p Person, err error) {
	err = s.reads.WithContext(ctx).Take(&p, id).Error
	return p, plainError(err)
}

// CreatePerson adds a person. A name that is there already is [ErrNameTaken].
func (s *Store) CreatePerson(ctx context.Context, p Person) (Person, error) {
	now := time.Now().UTC()
	p.ID, p.Active, p.Version, p.Created, p.Updated = 0, true, 1, now, now
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		return happened{"person.added", "person", p.Name, map[string]string{"role": p.Role}}, tx.Create(&p).Error
	})
	return p, err
}

// FirstAdmin makes the first admin and uses up the link that lets them. Where there are people already, or the link
// cannot be used, the error is [ErrNotFound].
func (s *Store) FirstAdmin(ctx context.Context, link string, p Person) (Person, error) {
	now := time.Now().UTC()
	p.ID, p.Active, p.Version, p.Created, p.Updated = 0, true, 1, now, now
	err := s.write(ctx, urgent, func(tx *gorm.DB) error {
		var people int64
		if err := tx.Model(&Person{}).Count(&people).Error; err != nil {
			return err
		}
		if people > 0 {
			return ErrNotFound
		}
		if _, err := use(tx, WelcomeLink, link); err != nil {
			return err
		}
		if err := tx.Create(&p).Error; err != nil {
			return err
		}
		_, err := writeDown(tx, Actor{ID: p.ID, Name: p.Name}, happened{"person.added", "person", p.Name, map[string]string{"role": p.Role, "by": "the first link"}})
		return err
	})
	return p, plainError(err)
}

// UpdatePerson changes what a person is called, may do, and whether they are active, where version is still the newest.
// If it is not, the error is [ErrChanged]; where no active admin would be left, [ErrLastAdmin]. Somebody made inactive is
// signed out everywhere, and the links by which others read reports end that they have made.
func (s *Store) UpdatePerson(ctx context.Context, name string, version int, fullName, role string, active bool, admin string) (p Person, err error) {
	err = s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := tx.Where("name = ?", name).Take(&p).Error; err != nil {
			return happened{}, err
		}
		if p.Version != version {
			return happened{}, ErrChanged
		}
		p.FullName, p.Role, p.Active, p.Version, p.Updated = fullName, role, active, version+1, time.Now().UTC()
		if err := tx.Save(&p).Error; err != nil {
			return happened{}, err
		}
		var admins int64
		if err := tx.Model(&Person{}).Where("role = ? AND active = 1", admin).Count(&admins).Error; err != nil {
			return happened{}, err
		}
		if admins == 0 {
			return happened{}, ErrLastAdmin
		}
		if !active {
			if err := endAccess(tx, p.ID, ""); err != nil {
				return happened{}, err
			}
			if err := tx.Model(&Share{}).Where("person = ? AND revoked IS NULL", p.Name).Update("revoked", time.Now().UTC()).Error; err != nil {
				return happened{}, err
			}
		}
		return happened{"person.changed", "person", p.Name, map[string]any{"role": role, "active": active}}, nil
	})
	return p, err
}

// SetPassword sets a person's password, signs them out everywhere but in the session that is kept, and ends their tokens and links.
func (s *Store) SetPassword(ctx context.Context, person uint, password, keep string) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var p Person
		if err := tx.Take(&p, person).Error; err != nil {
			return happened{}, err
		}
		return happened{"person.password", "person", p.Name, nil}, setPassword(tx, &p, password, keep)
	})
}

func setPassword(tx *gorm.DB, p *Person, password, keep string) error {
	p.Password, p.Updated = password, time.Now().UTC()
	if err := tx.Save(p).Error; err != nil {
		return err
	}
	return endAccess(tx, p.ID, keep)
}

// endAccess ends every way in that a person has been given: sessions, but for the one that is kept, tokens, and one-time links.
func endAccess(tx *gorm.DB, person uint, keep string) error {
	if err := tx.Where("person_id = ? AND hash <> ?", person, keep).Delete(&Session{}).Error; err != nil {
		return err
	}
	if err := tx.Model(&Token{}).Where("person_id = ? AND revoked IS NULL", person).Update("revoked", time.Now().UTC()).Error; err != nil {
		return err
	}
	return tx.Where("person_id = ? AND used IS NULL", person).Delete(&Link{}).Error
}

// AddLink keeps a one-time link. Those of its kind for the same person that have not been used are of no use any more.
func (s *Store) AddLink(ctx context.Context, l Link) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := tx.Where("kind = ? AND person_id = ? AND used IS NULL", l.Kind, l.PersonID).Delete(&Link{}).Error; err != nil {
			return happened{}, err
		}
		if err := tx.Create(&l).Error; err != nil || l.PersonID == 0 {
			return happened{}, err
		}
		var p Person
		err := tx.Take(&p, l.PersonID).Error
		return happened{"link.made", "person", p.Name, map[string]string{"kind": l.Kind}}, err
	})
}

// Link returns a one-time link that can still be used.
func (s *Store) Link(ctx context.Context, hash string) (l Link, err error) {
	err = s.reads.WithContext(ctx).Where("hash = ? AND used IS NULL AND expires > ?", hash, time.Now().UTC()).Take(&l).Error
	return l, plainError(err)
}

// use uses a link up.
func use(tx *gorm.DB, kind, hash string) (l Link, err error) {
	now := time.Now().UTC()
	if err = tx.Where("hash = ? AND kind = ? AND used IS NULL AND expires > ?", hash, kind, now).Take(&l).Error; err != nil {
		return l, err
	}
	return l, tx.Model(&Link{}).Where("hash = ?", hash).Update("used", now).Error
}

// UseLink uses a person's link up: with a password it sets that one.
func (s *Store) UseLink(ctx context.Context, kind, hash, password string) (p Person, err error) {
	err = s.write(ctx, urgent, func(tx *gorm.DB) error {
		l, err := use(tx, kind, hash)
		if err != nil {
			return err
		}
		if err := tx.Where("active = 1").Take(&p, l.PersonID).Error; err != nil {
			return err
		}
		if password != "" {
			if err := setPassword(tx, &p, password, ""); err != nil {
				return err
			}
		}
		_, err = writeDown(tx, Actor{ID: p.ID, Name: p.Name}, happened{"link.used", "person", p.Name, map[string]string{"kind": kind}})
		return err
	})
	return p, plainError(err)
}

// AddSession signs a person in, and forgets sessions that have ended.
func (s *Store) AddSession(ctx context.Context, session Session) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		if err := tx.Where("expires < ?", session.Created).Delete(&Session{}).Error; err != nil {
			return happened{}, err
		}
		var p Person
		if err := tx.Take(&p, session.PersonID).Error; err != nil {
			return happened{}, err
		}
		return happened{"person.signed-in", "person", p.Name, nil}, tx.Create(&session).Error
	})
}

// SessionPerson returns the active person whose session has a hash, where it was seen since a time and has not ended.
func (s *Store) SessionPerson(ctx context.Context, hash string, since time.Time) (session Session, p Person, err error) {
	if err = s.reads.WithContext(ctx).Where("hash = ? AND expires > ? AND seen > ?", hash, time.Now().UTC(), since).Take(&session).Error; err != nil {
		return session, p, plainError(err)
	}
	err = s.reads.WithContext(ctx).Where("active = 1").Take(&p, session.PersonID).Error
	return session, p, plainError(err)
}

// SeeSession writes down that a session is in use.
func (s *Store) SeeSession(ctx context.Context, hash string, at time.Time) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error { return tx.Model(&Session{}).Where("hash = ?", hash).Update("seen", at).Error })
}

// EndSession signs out of a session.
func (s *Store) EndSession(ctx context.Context, hash string) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error { return tx.Where("hash = ?", hash).Delete(&Session{}).Error })
}

// AddToken keeps a token of a person.
func (s *Store) AddToken(ctx context.Context, t Token) (Token, error) {
	err := s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var p Person
		if err := tx.Take(&p, t.PersonID).Error; err != nil {
			return happened{}, err
		}
		return happened{"token.made", "person", p.Name, map[string]any{"label": t.Label, "expires": t.Expires}}, tx.Create(&t).Error
	})
	return t, err
}

// Tokens lists a person's tokens that have not been revoked, the newest first.
func (s *Store) Tokens(ctx context.Context, person uint) (list []Token, err error) {
	err = s.reads.WithContext(ctx).Where("person_id = ? AND revoked IS NULL", person).Order("id DESC").Find(&list).Error
	return list, err
}

// TokenPerson returns the active person whose token has a hash, whether or not the token has ended.
func (s *Store) TokenPerson(ctx context.Context, hash string) (t Token, p Person, err error) {
	if err = s.reads.WithContext(ctx).Where("hash = ? AND revoked IS NULL", hash).Take(&t).Error; err != nil {
		return t, p, plainError(err)
	}
	err = s.reads.WithContext(ctx).Where("active = 1").Take(&p, t.PersonID).Error
	return t, p, plainError(err)
}

// SeeToken writes down that a token is in use.
func (s *Store) SeeToken(ctx context.Context, id uint, at time.Time) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error { return tx.Model(&Token{}).Where("id = ?", id).Update("seen", at).Error })
}

// RevokeToken ends a token of a person.
func (s *Store) RevokeToken(ctx context.Context, person, id uint) error {
	return s.recorded(ctx, urgent, func(tx *gorm.DB) (happened, error) {
		var t Token
		if err := tx.Where("person_id = ? AND revoked IS NULL", person).Take(&t, id).Error; err != nil {
			return happened{}, err
		}
		now := time.Now().UTC()
		t.Revoked = &now
		var p Person
		if err := tx.Take(&p, person).Error; err != nil {
			return happened{}, err
		}
		return happened{"token.revoked", "person", p.Name, map[string]string{"label": t.Label}}, tx.Save(&t).Error
	})
}
