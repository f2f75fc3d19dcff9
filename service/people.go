package service

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"twinsieve/service/password"
	"twinsieve/service/view"
	"twinsieve/store"
)

// How long one-time links work.
const (
	welcomeWorks  = 24 * time.Hour
	passwordWorks = 7 * 24 * time.Hour
	entryWorks    = 24 * time.Hour
)

var personName = regexp.MustCompile(`^[a-z][a-z0-9._-]{1,31}$`)

func personOf(p store.Person) view.Person {
	return view.Person{Name: p.Name, FullName: p.FullName, Role: view.Role(p.Role), Active: p.Active, Version: p.Version, Waiting: p.Password == "", Created: p.Created}
}

// me is who makes a request.
func (v *Service) me(ctx context.Context) (store.Person, error) {
	p, err := v.store.PersonByID(ctx, store.ActorOf(ctx).ID)
	if errors.Is(err, store.ErrNotFound) {
		return p, view.SignInFirst.New("Nobody is signed in. Sign in first.")
	}
	return p, err
}

// Me returns who makes a request.
func (v *Service) Me(ctx context.Context) (*view.Person, error) {
	p, err := v.me(ctx)
	if err != nil {
		return nil, err
	}
	shown := personOf(p)
	return &shown, nil
}

// People lists the people.
func (v *Service) People(ctx context.Context) (*view.People, error) {
	rows, err := v.store.People(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.People{People: []view.Person{}}
	for _, row := range rows {
		list.People = append(list.People, personOf(row))
	}
	return list, nil
}

// FirstLink returns the path of a one-time link that makes the first admin, and "" where there are people already.
func (v *Service) FirstLink(ctx context.Context) (string, error) {
	people, err := v.store.People(ctx)
	if err != nil || len(people) > 0 {
		return "", err
	}
	path, _, err := v.link(ctx, store.WelcomeLink, 0, welcomeWorks)
	return path, err
}

// link makes a one-time link and returns its page's path.
func (v *Service) link(ctx context.Context, kind string, person uint, works time.Duration) (path string, ends time.Time, err error) {
	code := newSecret("")
	now := time.Now().UTC()
	ends = now.Add(works)
	return "/enter/" + code, ends, v.store.AddLink(ctx, store.Link{Hash: hashOf(code), Kind: kind, PersonID: person, Created: now, Expires: ends})
}

func badLink() error {
	return view.NotFound.New("This link no longer works: it has been used, it has expired, or it was not copied whole. Ask an admin for a new one; if no account exists yet, restart the service to print a new link.")
}

// OneTime says what a one-time link is for, and uses nothing up.
func (v *Service) OneTime(ctx context.Context, code string) (*view.OneTime, error) {
	l, err := v.store.Link(ctx, hashOf(code))
	if errors.Is(err, store.ErrNotFound) {
		return nil, badLink()
	}
	if err != nil {
		return nil, err
	}
	out := &view.OneTime{Kind: l.Kind, Ends: l.Expires}
	if l.PersonID > 0 {
		p, err := v.store.PersonByID(ctx, l.PersonID)
		if err != nil {
			return nil, err
		}
		out.Name = p.Name
	}
	return out, nil
}

// Enter uses a one-time link up, and signs in whoever it is for.
func (v *Service) Enter(ctx context.Context, code string, w view.Welcome) (*Session, error) {
	known, err := v.OneTime(ctx, code)
	if err != nil {
		return nil, err
	}
	name := known.Name
	if known.Kind == store.WelcomeLink {
		if name, err = nameOfPerson(w.Name); err != nil {
			return nil, err
		}
	}
	hash := ""
	if known.Kind != store.EntryLink {
		if wrong := password.Check(w.Password, name); wrong != "" {
			return nil, view.Invalid.New(wrong)
		}
		hash = password.Hash(w.Password)
	}
	full, err := fullName(w.FullName, name)
	if err != nil {
		return nil, err
	}
	var p store.Person
	if known.Kind == store.WelcomeLink {
		p, err = v.store.FirstAdmin(ctx, hashOf(code), store.Person{Name: name, FullName: full, Role: string(view.Admin), Password: hash})
	} else {
		p, err = v.store.UseLink(ctx, known.Kind, hashOf(code), hash)
	}
	if errors.Is(err, store.ErrNotFound) {
		return nil, badLink()
	}
	if err != nil {
		return nil, problem(err, "")
	}
	return v.session(ctx, p)
}

func nameOfPerson(name string) (string, error) {
	name = strings.ToLower(strings.TrimSpace(name))
	if slices.Contains([]string{"me", nobody, none}, name) {
		return "", view.Invalid.New(fmt.Sprintf("%q cannot be a person's name, because filters mean something else by it.", name))
	}
	if !personName.MatchString(name) {
		return "", view.Invalid.New(fmt.Sprintf("%q cannot be a person's name: write 2 to 32 letters a to z, digits, points, hyphens or underscores, a letter first, such as ines.varga.", name))
	}
	return name, nil
}

// mostFullName is how many characters a full name may have.
const mostFullName = 100

func fullName(full, name string) (string, error) {
	if full = strings.TrimSpace(full); full == "" {
		return name, nil
	}
	if utf8.RuneCountInString(full) > mostFullName || strings.ContainsFunc(full, unicode.IsControl) {
		return "", view.Invalid.New(fmt.Sprintf("A full name has at most %d characters, and no control characters.", mostFullName))
	}
	return full, nil
}

func checkRole(r view.Role) error {
	if !r.Allows(view.Reader) {
		return view.Invalid.New(fmt.Sprintf("%q is not a role; write reader, analyst or admin.", r))
	}
	return nil
}

// AddPerson adds a person and returns the link by which they set a password.
func (v *Service) AddPerson(ctx context.Context, n view.NewPerson) (*view.Invited, error) {
	name, err := nameOfPerson(n.Name)
	if err != nil {
		return nil, err
	}
	if err := checkRole(n.Role); err != nil {
		return nil, err
	}
	full, err := fullName(n.FullName, name)
	if err != nil {
		return nil, err
	}
	p, err := v.store.CreatePerson(ctx, store.Person{Name: name, FullName: full, Role: string(n.Role)})
	if errors.Is(err, store.ErrNameTaken) {
		return nil, view.NameTaken.New(fmt.Sprintf("There is a person named %q already.", name))
	}
	if err != nil {
		return nil, problem(err, "")
	}
	return v.invited(ctx, p)
}

func (v *Service) invited(ctx context.Context, p store.Person) (*view.Invited, error) {
	path, ends, err := v.link(ctx, store.PasswordLink, p.ID, passwordWorks)
	return &view.Invited{Person: personOf(p), Link: path, Ends: ends}, err
}

// Invite returns a new link by which a person sets a password.
func (v *Service) Invite(ctx context.Context, name string) (*view.Invited, error) {
	p, err := v.store.Person(ctx, name)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("person %q", name))
	}
	if !p.Active {
		return nil, view.InUse.New(fmt.Sprintf("%s is not active; make them active first.", name))
	}
	return v.invited(ctx, p)
}

// EntryLink makes a person with a role where there is none of the name, and returns the path of a link that signs them in once.
// It is for demos on the own machine: whoever can start the service can have it.
func (v *Service) EntryLink(ctx context.Context, n view.NewPerson) (string, error) {
	p, err := v.store.Person(ctx, n.Name)
	if errors.Is(err, store.ErrNotFound) {
		p, err = v.store.CreatePerson(ctx, store.Person{Name: n.Name, FullName: n.FullName, Role: string(n.Role)})
	}
	if err != nil {
		return "", err
	}
	path, _, err := v.link(ctx, store.EntryLink, p.ID, entryWorks)
	return path, err
}

// ChangePerson changes a person, where version is still the newest.
func (v *Service) ChangePerson(ctx context.Context, name string, version int, c view.PersonChange) (*view.Person, error) {
	if err := checkRole(c.Role); err != nil {
		return nil, err
	}
	full, err := fullName(c.FullName, name)
	if err != nil {
		return nil, err
	}
	p, err := v.store.UpdatePerson(ctx, name, version, full, string(c.Role), c.Active, string(view.Admin))
	switch {
	case errors.Is(err, store.ErrChanged):
		return nil, view.Changed.New(fmt.Sprintf("%s has been changed by somebody else meanwhile; look at them again.", name))
	case errors.Is(err, store.ErrLastAdmin):
		return nil, view.InUse.New(fmt.Sprintf("%s is the only admin; make somebody else an admin first.", name))
	case err != nil:
		return nil, problem(err, fmt.Sprintf("person %q", name))
	}
	shown := personOf(p)
	return &shown, nil
}

// ChangePassword changes one's own password, and ends one's other sessions.
func (v *Service) ChangePassword(ctx context.Context, session string, n view.NewPassword) error {
	p, err := v.me(ctx)
	if err != nil {
		return err
	}
	if err := v.slow.enter(p.Name, addressOf(ctx)); err != nil {
		return err
	}
	if !password.Matches(p.Password, n.Old) {
		return view.Invalid.New("The current password is wrong.")
	}
	v.slow.right(p.Name, addressOf(ctx))
	if wrong := password.Check(n.New, p.Name); wrong != "" {
		return view.Invalid.New(wrong)
	}
	return problem(v.store.SetPassword(ctx, p.ID, password.Hash(n.New), hashOf(session)), "such person")
}
