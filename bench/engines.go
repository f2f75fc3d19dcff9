package main

import (
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// The same job in SQL: both files are read into tables of text, the right one gets an index on the key where the engine
// would use it, and one full outer join writes every pair that does not agree and every record without a partner.

var keyColumns = []string{"call", "day", "code"}

// join is the full outer join over the first parts of the key. number is how a text becomes a number.
func join(parts int, number func(column string) string) string {
	var on []string
	for _, k := range keyColumns[:parts] {
		on = append(on, fmt.Sprintf("l.%s = r.%s", k, k))
	}
	return fmt.Sprintf(`select l.*, r.* from l full outer join r on %s
		where l.ctid_ is null or r.ctid_ is null or abs(%s - %s) > 0.05 or l.vessel <> r.vessel`, strings.Join(on, " and "), number("l.amount"), number("r.amount"))
}

// sqlite does the job with SQLite's own program.
func (b *bench) sqlite(left, right, out string) (m measure, ok bool) {
	if _, err := exec.LookPath("sqlite3"); err != nil {
		return m, false
	}
	database := filepath.Join(b.dir, "join.db")
	must(os.RemoveAll(database))
	defer os.RemoveAll(database)
	script := filepath.Join(b.dir, "join.sql")
	columns := "call text, day text, code text, vessel text, quay text, amount text, remark text"
	query := join(b.keyParts, func(c string) string { return "cast(" + c + " as real)" })
	query = strings.NewReplacer("l.ctid_", "l.rowid", "r.ctid_", "r.rowid", "\n", " ").Replace(query)
	text := fmt.Sprintf(`pragma journal_mode = off; pragma synchronous = off; pragma cache_size = -1000000; pragma temp_store = memory;
create table l(%s); create table r(%s);
.mode csv
.import --skip 1 %s l
.import --skip 1 %s r
update l set call = null where call = ''; update r set call = null where call = '';
create index r_key on r(%s); create index l_key on l(%s);
.output %s
%s;
`, columns, columns, left, right, strings.Join(keyColumns[:b.keyParts], ", "), strings.Join(keyColumns[:b.keyParts], ", "), out, query)
	must(os.WriteFile(script, []byte(text), 0o600))
	m, _ = run(0, "sqlite3", "-bail", database, ".read "+script)
	return m, true
}

// postgres is a PostgreSQL server of our own, on a socket in a folder of its own.
type postgres struct {
	bin, dir string
	as       *syscall.Credential
	cmd      *exec.Cmd
}

// startPostgres starts a server, or returns nil where none is installed.
func (b *bench) startPostgres() *postgres {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	if len(found) == 0 {
		return nil
	}
	dir, err := os.MkdirTemp(b.dir, "postgres-")
	must(err)
	p := &postgres{bin: found[len(found)-1], dir: dir}
	if os.Geteuid() == 0 { // the server refuses to be root
		who, err := user.Lookup("postgres")
		must(err)
		uid, err := strconv.Atoi(who.Uid)
		must(err)
		gid, err := strconv.Atoi(who.Gid)
		must(err)
		p.as = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		must(os.Chown(dir, uid, gid))
		for up := b.dir; up != "/"; up = filepath.Dir(up) {
			info, err := os.Stat(up)
			must(err)
			must(os.Chmod(up, info.Mode().Perm()|0o011))
		}
	}
	data := filepath.Join(dir, "data")
	init := p.command("initdb", "--pgdata="+data, "--username=bench", "--auth=trust", "--encoding=UTF8", "--locale=C", "--no-sync")
	if text, err := init.CombinedOutput(); err != nil {
		must(fmt.Errorf("initdb: %w: %s", err, text))
	}
	p.cmd = p.command("postgres", "-D", data, "-k", dir, "-c", "listen_addresses=", "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off",
		"-c", "wal_level=minimal", "-c", "max_wal_senders=0", "-c", "shared_buffers=2GB", "-c", "work_mem=2GB", "-c", "maintenance_work_mem=1GB", "-c", "max_wal_size=16GB")
	must(p.cmd.Start())
	for deadline := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if p.command("pg_isready", "-q", "-h", dir).Run() == nil {
			return p
		}
		if time.Now().After(deadline) {
			must(fmt.Errorf("PostgreSQL has not begun within 30 seconds"))
		}
	}
}

func (p *postgres) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(filepath.Join(p.bin, name), args...)
	cmd.Dir = p.dir
	if p.as != nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: p.as}
	}
	return cmd
}

func (p *postgres) stop() {
	must(p.cmd.Process.Signal(syscall.SIGINT))
	_ = p.cmd.Wait() // it ends as it was asked to
	must(os.RemoveAll(p.dir))
}

// job does the job, and measures the memory of all of the server's processes together while it does.
func (p *postgres) job(parts int, left, right, out string) measure {
	columns := "ctid_ int default 1, call text, day text, code text, vessel text, quay text, amount text, remark text"
	named := "(call, day, code, vessel, quay, amount, remark)"
	query := strings.ReplaceAll(join(parts, func(c string) string { return c + "::numeric" }), "\n", " ")
	text := fmt.Sprintf(`set client_min_messages = warning; drop table if exists r;
begin; create table l(%s); create table r(%s);
\copy l%s from '%s' with (format csv, header)
\copy r%s from '%s' with (format csv, header)
commit; analyze l; analyze r;
\copy (%s) to '%s' with (format csv)
`, columns, columns, named, left, named, right, query, out)
	script := filepath.Join(filepath.Dir(left), "join.psql")
	must(os.WriteFile(script, []byte(text), 0o644))
	peak := peakWhile(p.cmd.Process.Pid)
	m, _ := run(0, filepath.Join(p.bin, "psql"), "-q", "-v", "ON_ERROR_STOP=1", "-h", p.dir, "-U", "bench", "-d", "postgres", "-f", script)
	m.peak = peak()
	return m
}
