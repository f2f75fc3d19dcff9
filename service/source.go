package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/sources"
)

// opened is a source that is ready to be read.
type opened struct {
	name  string
	size  int64 // in bytes; 0 where that is not known before it has been read
	begin func(context.Context, intake.Choices, intake.Options) (*intake.Source, error)
	close func()

	parts   []*opened     // of a stack
	counted bool          // it is known how many records it has
	records int64         // where that is known
	parents []view.Parent // what a source that is made from record sets is made from, once it is being read
	run     uint          // of the rows of a run, once they are being read

	// fresh brings what the source is made from up to date, where it is made from record sets; else nil.
	fresh func(context.Context, *job) error
}

// read begins to read the source. What it returns is to be closed before the source itself.
func (o *opened) read(ctx context.Context, choices intake.Choices, options intake.Options) (*intake.Source, error) {
	options.Name = o.name
	src, err := o.begin(ctx, choices, options)
	if err != nil {
		return nil, unreadable(o.name, err)
	}
	return src, nil
}

// openedFile is a file that can be read from any place.
func openedFile(name string, size int64, file io.ReaderAt, close func()) *opened {
	return &opened{name: name, size: size, close: close, begin: func(_ context.Context, c intake.Choices, o intake.Options) (*intake.Source, error) {
		return intake.Open(file, size, c, o)
	}}
}

// openSource opens what a reference names. It is to be closed.
func (v *Service) openSource(ctx context.Context, ref view.SourceRef) (*opened, error) {
	switch {
	case len(ref.Stack) == 0 && (ref.Origin != "" || ref.Common):
		return nil, view.Invalid.New("The source says how a stack is made, and names no stack of sources.")
	case len(ref.Stack) == 0:
		return v.openPlace(ctx, ref.Place)
	case ref.Place != view.Place{}:
		return nil, view.Invalid.New("The source names both a stack and a single source; name one of them.")
	}
	return v.openStack(ctx, ref)
}

// openStack opens all sources of a stack.
func (v *Service) openStack(ctx context.Context, ref view.SourceRef) (_ *opened, err error) {
	if len(ref.Stack) > intake.MostStacked {
		return nil, view.Invalid.New(fmt.Sprintf("The stack has %d sources; it may have at most %d.", len(ref.Stack), intake.MostStacked))
	}
	if ref.Origin == "" {
		ref.Origin = "origin"
	}
	var parts []*opened
	stack := &opened{name: fmt.Sprintf("%d sources", len(ref.Stack)), close: func() {
		for _, p := range parts {
			p.close()
		}
	}}
	defer func() {
		if err != nil {
			stack.close()
		}
	}()
	for i, s := range ref.Stack {
		p, err := v.openPlace(ctx, s.Place)
		if err != nil {
			return nil, err
		}
		parts = append(parts, p)
		stack.parts = append(stack.parts, p)
		if stack.size += p.size; s.Label == "" {
			ref.Stack[i].Label = p.name
		}
	}
	if slices.ContainsFunc(parts, func(p *opened) bool { return p.size == 0 }) {
		stack.size = 0
	}
	stack.fresh = func(ctx context.Context, j *job) error {
		for _, p := range parts {
			if p.fresh != nil {
				if err := p.fresh(ctx, j); err != nil {
					return err
				}
			}
		}
		return nil
	}
	stack.begin = func(ctx context.Context, choices intake.Choices, o intake.Options) (*intake.Source, error) {
		var stacked []intake.Part
		for i, p := range parts {
			src, err := p.read(ctx, partChoices(ref.Stack[i], choices), labelled(ref.Stack[i].Label, o))
			if err != nil {
				for _, s := range stacked {
					_ = s.Close() // what went wrong first is what counts
				}
				return nil, err
			}
			stacked = append(stacked, intake.Part{Source: src, Label: ref.Stack[i].Label, Rename: ref.Stack[i].Rename})
			stack.parents = append(stack.parents, p.parents...)
		}
		if err := checkStacked(stacked, choices, o); err != nil {
			return nil, err
		}
		return intake.Stack(stacked, intake.StackOptions{Origin: ref.Origin, Common: ref.Common, Forgive: o.Forgive}, choices)
	}
	return stack, nil
}

// checkStacked refuses choices that say nothing about any source of a stack, and closes the sources then.
func checkStacked(stacked []intake.Part, choices intake.Choices, o intake.Options) error {
	var formats []string
	for _, p := range stacked {
		formats = append(formats, p.Settled().Format)
	}
	err := choices.CheckStacked(formats)
	if err == nil || o.Forgive {
		return nil
	}
	for _, s := range stacked {
		_ = s.Close() // the choices are what counts
	}
	return err
}

// partChoices are the choices that one source of a stack is read with. Types and computed columns are the stack's.
func partChoices(s view.Stacked, shared intake.Choices) intake.Choices {
	c := shared
	if s.Choices != nil {
		c = *s.Choices
		c.Blanks = shared.Blanks
	}
	c.Types, c.Computed = nil, nil
	return c
}

// labelled says with each reject which source of a stack it is of.
func labelled(label string, o intake.Options) intake.Options {
	o.Stacked = true
	tell := o.Reject
	if tell != nil {
		o.Reject = func(r record.Reject) {
			r.Reason = label + ": " + r.Reason
			tell(r)
		}
	}
	return o
}

// openPlace opens one source.
func (v *Service) openPlace(ctx context.Context, ref view.Place) (*opened, error) {
	named := 0
	for _, is := range []bool{ref.Upload != "", ref.Path != "", ref.Connection != "", ref.Set != "", ref.Result != nil} {
		if is {
			named++
		}
	}
	switch {
	case named > 1:
		return nil, view.Invalid.New("The source names more than one of an upload, a file in the folder, a connection, a record set and rows of a run; name one of them.")
	case ref.Set != "":
		return v.openSet(ctx, ref.Set)
	case ref.Result != nil:
		return v.openResult(ctx, ref.Result)
	case ref.Connection == "" && (ref.Table != "" || ref.Query != ""):
		return nil, view.Invalid.New("The source names a table or a query, and no connection to a database; name that, too.")
	case ref.Upload != "":
		u, ok := v.uploads.take(ref.Upload)
		if !ok {
			return nil, noUpload(ref.Upload)
		}
		return openedFile(u.Name, u.Bytes, u.file, func() { v.uploads.giveBack(u) }), nil
	case ref.Path != "":
		return v.openInFolder(ref.Path)
	case ref.Connection != "":
		return v.openQuery(ctx, ref)
	}
	return nil, view.Invalid.New("The source names nothing; name an upload, a file in the folder, a connection with a table or a query, a record set, or rows of a run.")
}

func (v *Service) openQuery(ctx context.Context, ref view.Place) (*opened, error) {
	c, limit, err := v.access(ctx, ref.Connection)
	if err != nil {
		return nil, err
	}
	name := "query of connection " + ref.Connection
	if ref.Table != "" {
		name = fmt.Sprintf("table %s of connection %s", ref.Table, ref.Connection)
	}
	return &opened{name: name, close: func() {}, begin: func(ctx context.Context, choices intake.Choices, o intake.Options) (*intake.Source, error) {
		rows, err := sources.Open(ctx, c, sources.Query{Table: ref.Table, Text: ref.Query}, sources.Options{Limit: limit, Reject: o.Reject})
		if err != nil {
			return nil, err
		}
		return intake.Rows(rows, choices, o.Forgive)
	}}, nil
}

func (v *Service) openInFolder(path string) (*opened, error) {
	if v.options.Folder == "" {
		return nil, view.Invalid.New("This service may read no folder; start it with --folder, or send the file.")
	}
	root, err := os.OpenRoot(v.options.Folder)
	if err != nil {
		return nil, view.Invalid.New("The service's folder cannot be read: " + err.Error() + ".")
	}
	defer root.Close()
	f, info, err := openRegular(root, path)
	if err != nil {
		var at *os.PathError
		what := err.Error()
		if errors.As(err, &at) {
			what = at.Err.Error()
		}
		return nil, view.Invalid.New(fmt.Sprintf("%s cannot be read in the service's folder: %s.", path, what))
	}
	return openedFile(path, info.Size(), f, func() { _ = f.Close() }), nil
}

// openRegular opens a file of the folder. Nothing outside the folder can be opened through it, whether by .. or by a link. What is not
// a regular file is not opened at all: opening a pipe would wait until somebody writes to it.
func openRegular(root *os.Root, path string) (*os.File, os.FileInfo, error) {
	info, err := root.Stat(path)
	if err != nil {
		return nil, nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, nil, errors.New("it is not a regular file")
	}
	f, err := root.OpenFile(path, os.O_RDONLY|nonBlocking, 0)
	if err != nil {
		return nil, nil, err
	}
	if info, err = f.Stat(); err == nil && !info.Mode().IsRegular() { // it may have been replaced in between
		err = errors.New("it is not a regular file")
	}
	if err != nil {
		_ = f.Close()
		return nil, nil, err
	}
	return f, info, nil
}
