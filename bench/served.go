package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"syscall"

	"twinsieve/client"
	"twinsieve/core/sieve"
)

// served is a service in a process of its own.
type served struct {
	*client.Client
	cmd *exec.Cmd
}

// serve starts a service on data of its own; memory is what it keeps to, empty for what it takes by itself.
func serve(binary, data, memory string) *served {
	cmd := exec.Command(binary, "serve", "--listen", "127.0.0.1:0", "--data", data)
	if memory != "" {
		cmd.Args = append(cmd.Args, "--memory", memory)
	}
	out, err := cmd.StdoutPipe()
	must(err)
	must(cmd.Start())
	c, _ := signIn(out)
	return &served{c, cmd}
}

func (s *served) stop() {
	must(s.cmd.Process.Signal(syscall.SIGTERM))
	must(s.cmd.Wait())
}

// stocked is a service with the two large sets in it and the sieve over them.
func (b *bench) stocked(records int) *served {
	left, right := b.file("left.csv"), b.file("right.csv")
	large := b.large
	large.Records = records
	must(large.Write(left, right))
	data := b.file("data")
	must(os.RemoveAll(data))
	s := serve(b.binary, data, b.memory)
	s.sent("left", left)
	s.sent("right", right)
	must(s.define(b.keyParts))
	return s
}

func (s *served) sent(set, file string) {
	result, err := sendFile(s.Client, set, file)
	must(err)
	if result.Set.Snapshot.Records == 0 {
		must(fmt.Errorf("nothing was loaded of %s", file))
	}
}

// profiled waits for a set's profile, which begins by itself.
func (s *served) profiled(set string) {
	job, err := s.MakeProfile(context.Background(), set)
	must(err)
	_, err = s.Wait(context.Background(), job, nil)
	must(err)
}

// definition is that of the job.
func definition(parts int) sieve.Definition {
	d := sieve.Definition{Name: "large", Left: "left", Right: "right", Compare: []sieve.Field{
		{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "0.05"}, {Columns: sieve.Columns{Left: "vessel"}}}}
	for _, name := range keyColumns[:parts] {
		d.Key = append(d.Key, sieve.KeyPart{Columns: sieve.Columns{Left: name}})
	}
	return d
}

func (s *served) define(parts int) error {
	_, err := s.CreateSieve(context.Background(), definition(parts))
	return err
}

// counts has all comparisons counted.
func (s *served) counts(parts int) {
	job, err := s.Count(context.Background(), definition(parts))
	must(err)
	_, err = s.Wait(context.Background(), job, nil)
	must(err)
}
