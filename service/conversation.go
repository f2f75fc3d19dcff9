package service

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/store"
)

// The most that a comment and an attachment may have.
const (
	mostComment    = 10_000   // characters
	mostAttachment = 10 << 20 // bytes
)

// mention is @ and a name, where they do not stand within a word, as in an address.
var mention = regexp.MustCompile(`(?:^|[^A-Za-z0-9._@-])@([A-Za-z][A-Za-z0-9._-]*[A-Za-z0-9])`)

// Conversation returns what was said about an exception of a report. Who reads it has seen where it mentions them.
func (v *Service) Conversation(ctx context.Context, run uint, id string) (*view.Conversation, error) {
	_, row, err := v.exceptionOf(ctx, run, id)
	if err != nil {
		return nil, err
	}
	comments, err := v.store.Comments(ctx, row.ExceptionID)
	if err != nil {
		return nil, err
	}
	files, err := v.store.Attachments(ctx, row.ExceptionID)
	if err != nil {
		return nil, err
	}
	out := &view.Conversation{Comments: []view.Comment{}, Attachments: []view.Attachment{}}
	for _, c := range comments {
		out.Comments = append(out.Comments, view.Comment{ID: c.ID, By: c.Person, Text: c.Text, Created: c.Created})
	}
	for _, a := range files {
		out.Attachments = append(out.Attachments, attachmentOf(a))
	}
	if len(comments) == 0 {
		return out, nil
	}
	return out, v.store.SeeMentions(ctx, store.ActorOf(ctx).ID, row.ExceptionID)
}

// Comment adds a comment to an exception of a report. Who is mentioned in it must be there.
func (v *Service) Comment(ctx context.Context, run uint, id, text string) (*view.Comment, error) {
	r, row, err := v.exceptionOf(ctx, run, id)
	if err != nil {
		return nil, err
	}
	text = strings.TrimSpace(text)
	switch n := utf8.RuneCountInString(text); {
	case n == 0:
		return nil, view.Invalid.New("The comment says nothing.")
	case n > mostComment:
		return nil, view.TooLarge.New(fmt.Sprintf("The comment has %s characters; at most %s can be kept. Put longer texts to it as a file.", summary.Number(int64(n)), summary.Number(mostComment)))
	}
	var mentioned []store.Person
	for _, m := range mention.FindAllStringSubmatch(text, -1) {
		name := strings.ToLower(m[1])
		if slices.ContainsFunc(mentioned, func(p store.Person) bool { return p.Name == name }) {
			continue
		}
		p, err := v.store.Person(ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			return nil, view.Invalid.New(fmt.Sprintf("The comment mentions @%s, and there is nobody of this name. Write the name of a person, or no @ before it.", m[1]))
		}
		if err != nil {
			return nil, err
		}
		mentioned = append(mentioned, p)
	}
	c, err := v.store.AddComment(ctx, run, row.ExceptionID, text, mentioned)
	if err != nil {
		return nil, v.workProblem(err)
	}
	v.tellOf(ctx, r.row.SieveID, "commented on "+keyWords(row), []uint{row.ExceptionID})
	return &view.Comment{ID: c.ID, By: c.Person, Text: c.Text, Created: c.Created}, nil
}

func attachmentOf(a store.Attachment) view.Attachment {
	return view.Attachment{ID: a.ID, By: a.Person, Name: a.Name, Bytes: a.Bytes, Hash: a.Hash, Created: a.Created}
}

// Attach puts a file to an exception of a report.
func (v *Service) Attach(ctx context.Context, run uint, id, name string, body io.Reader) (*view.Attachment, error) {
	r, row, err := v.exceptionOf(ctx, run, id)
	if err != nil {
		return nil, err
	}
	if name = path.Base(strings.ReplaceAll(strings.TrimSpace(name), `\`, "/")); name == "." || name == "/" || len(name) > 255 || !utf8.ValidString(name) || strings.ContainsFunc(name, unicode.IsControl) {
		return nil, view.Invalid.New("The file needs a name of at most 255 bytes.")
	}
	content, err := io.ReadAll(io.LimitReader(body, mostAttachment+1))
	if err != nil {
		return nil, view.Invalid.New("The file did not come whole: " + err.Error() + ".")
	}
	switch {
	case len(content) > mostAttachment:
		return nil, view.TooLarge.New(fmt.Sprintf("%s has more than %d MB; that is the most that a file at an exception may have.", name, mostAttachment>>20))
	case len(content) == 0:
		return nil, view.Invalid.New(name + " is empty.")
	}
	sum := sha256.Sum256(content)
	a, err := v.store.AddAttachment(ctx, run, store.Attachment{ExceptionID: row.ExceptionID, Name: name, Bytes: int64(len(content)), Hash: hex.EncodeToString(sum[:])}, content)
	if err != nil {
		return nil, v.workProblem(err)
	}
	v.tellOf(ctx, r.row.SieveID, "put "+name+" to "+keyWords(row), []uint{row.ExceptionID})
	shown := attachmentOf(a)
	return &shown, nil
}

// Attachment hands over a file of an exception of a report. It is only ever saved, never shown by a browser, for it may hold anything.
func (v *Service) Attachment(ctx context.Context, run uint, id string, file uint) (*Export, error) {
	_, row, err := v.exceptionOf(ctx, run, id)
	if err != nil {
		return nil, err
	}
	a, content, err := v.store.Attachment(ctx, file)
	if err == nil && a.ExceptionID != row.ExceptionID {
		err = store.ErrNotFound
	}
	if err != nil {
		return nil, problem(err, fmt.Sprintf("file %d at this exception", file))
	}
	return &Export{Name: a.Name, Type: "application/octet-stream", Write: func(w io.Writer) error {
		_, err := io.Copy(w, bytes.NewReader(content))
		return err
	}}, nil
}
