// Package sourcetest starts real database servers for tests: on loopback, with data of their own that is gone afterwards.
// The servers' programs are those of Debian's packages postgresql and mariadb-server.
package sourcetest

import (
	"bufio"
	"context"
	"database/sql"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v5/pgconn"

	"twinsieve/sources"
)

// Password is that of the servers' user marrowick, who may do everything, so that what is refused is refused for being
// asked for in a read-only transaction.
const Password = "gr33n-bollard'7"

// Server is a running database server.
type Server struct {
	sources.Connection
	cmd  *exec.Cmd
	dir  string
	as   *syscall.Credential
	once sync.Once
	log  strings.Builder
	read chan struct{} // closed once all of the log has been read
}

// Postgres starts a PostgreSQL server.
func Postgres(t testing.TB) *Server {
	s := begin(t, sources.PostgreSQL, "postgres")
	bin := filepath.Dir(program(t, "initdb", "/usr/lib/postgresql/*/bin"))
	secret := filepath.Join(s.dir, "password")
	if err := os.WriteFile(secret, []byte(Password), 0o644); err != nil {
		t.Fatal(err)
	}
	data := filepath.Join(s.dir, "data")
	s.do(t, filepath.Join(bin, "initdb"), "--pgdata="+data, "--username="+s.User, "--auth=scram-sha-256", "--pwfile="+secret, "--encoding=UTF8", "--locale=C", "--no-sync")
	cert, key := s.certificate(t)
	s.start(t, "ready to accept connections", filepath.Join(bin, "postgres"), "-D", data, "-p", strconv.Itoa(s.Port), "-c", "listen_addresses=127.0.0.1",
		"-c", "unix_socket_directories=", "-c", "fsync=off", "-c", "ssl=on", "-c", "ssl_cert_file="+cert, "-c", "ssl_key_file="+key)
	s.Database = "postgres"
	return s
}

// Maria starts a MariaDB server.
func Maria(t testing.TB) *Server {
	s := begin(t, sources.MariaDB, "mysql")
	data, setup := filepath.Join(s.dir, "data"), filepath.Join(s.dir, "setup.sql")
	text := fmt.Sprintf("CREATE DATABASE harbour CHARACTER SET utf8mb4;\nCREATE USER '%s'@'127.0.0.1' IDENTIFIED BY '%s';\nGRANT ALL ON *.* TO '%s'@'127.0.0.1';\n",
		s.User, strings.ReplaceAll(Password, "'", "''"), s.User)
	if err := os.WriteFile(setup, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	s.do(t, program(t, "mariadb-install-db"), "--no-defaults", "--datadir="+data, "--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve")
	cert, key := s.certificate(t)
	s.start(t, "ready for connections", program(t, "mariadbd", "/usr/sbin"), "--no-defaults", "--datadir="+data, "--port="+strconv.Itoa(s.Port), "--bind-address=127.0.0.1",
		"--socket="+filepath.Join(s.dir, "s"), "--pid-file="+filepath.Join(s.dir, "pid"), "--skip-name-resolve", "--init-file="+setup, "--innodb-flush-log-at-trx-commit=0",
		"--ssl-cert="+cert, "--ssl-key="+key)
	s.Database = "harbour"
	return s
}

// begin makes a folder that the server's user may use: servers do not run as root.
func begin(t testing.TB, kind, owner string) *Server {
	t.Helper()
	dir, err := os.MkdirTemp("", "harbour-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	s := &Server{dir: dir, read: make(chan struct{})}
	s.Connection = sources.Connection{Kind: kind, Host: "127.0.0.1", Port: freePort(t), User: "marrowick", Password: Password}
	if os.Getuid() == 0 {
		u, err := user.Lookup(owner)
		if err != nil {
			t.Fatalf("%s; the server's package from Debian makes this user: make test installs it", err)
		}
		uid, _ := strconv.Atoi(u.Uid)
		gid, _ := strconv.Atoi(u.Gid)
		s.as = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		if err := os.Chown(dir, uid, gid); err != nil {
			t.Fatal(err)
		}
	}
	return s
}

// freePort is a port that nobody listens on just now.
func freePort(t testing.TB) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// program finds a program on the path, or where Debian puts it.
func program(t testing.TB, name string, places ...string) string {
	t.Helper()
	if path, err := exec.LookPath(name); err == nil {
		if path, err = filepath.EvalSymlinks(path); err == nil {
			return path
		}
	}
	for _, place := range places {
		if found, _ := filepath.Glob(filepath.Join(place, name)); len(found) > 0 {
			return found[len(found)-1]
		}
	}
	t.Fatalf("%s is not installed; make test installs it from Debian's packages", name)
	return ""
}

func (s *Server) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(name, args...)
	cmd.Dir, cmd.Env = s.dir, []string{"PATH=" + os.Getenv("PATH"), "HOME=" + s.dir, "LC_ALL=C", "TMPDIR=" + s.dir}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: s.as, Setpgid: true}
	return cmd
}

func (s *Server) do(t testing.TB, name string, args ...string) {
	t.Helper()
	if out, err := s.command(name, args...).CombinedOutput(); err != nil {
		t.Fatalf("%s: %s\n%s", name, err, out)
	}
}

// start starts the server and waits until it says that it is ready.
func (s *Server) start(t testing.TB, ready, name string, args ...string) {
	t.Helper()
	s.cmd = s.command(name, args...)
	out, in, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	s.cmd.Stdout, s.cmd.Stderr = in, in
	if err := s.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	_ = in.Close()
	t.Cleanup(s.Kill)
	up := make(chan bool, 1)
	go func() {
		defer close(s.read)
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			s.log.WriteString(lines.Text() + "\n")
			if strings.Contains(lines.Text(), ready) {
				select {
				case up <- true:
				default:
				}
			}
		}
		select {
		case up <- false:
		default:
		}
		_ = out.Close()
	}()
	if !<-up {
		t.Fatalf("%s did not start:\n%s", name, s.log.String())
	}
}

// Kill ends the server at once, as when its machine fails.
func (s *Server) Kill() {
	s.once.Do(func() {
		for _, pid := range append(children(s.cmd.Process.Pid), s.cmd.Process.Pid) {
			_ = syscall.Kill(pid, syscall.SIGKILL)
		}
		_ = s.cmd.Wait()
		<-s.read
	})
}

// children are the processes that a process has started. PostgreSQL has one for each connection, which would go on.
func children(parent int) (pids []int) {
	stats, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, file := range stats {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // it has ended meanwhile
		}
		pid, _, _ := strings.Cut(string(text), " ")
		behind := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:])) // the name may hold anything
		if n, err := strconv.Atoi(pid); err == nil && len(behind) > 1 && behind[1] == strconv.Itoa(parent) {
			pids = append(pids, n)
		}
	}
	return pids
}

// Do runs statements that may write, one after another.
func (s *Server) Do(t testing.TB, statements ...string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if s.Kind == sources.PostgreSQL {
		s.doPostgres(ctx, t, statements)
		return
	}
	config := mysql.NewConfig()
	config.Net, config.Addr, config.User, config.Passwd, config.DBName = "tcp", net.JoinHostPort(s.Host, strconv.Itoa(s.Port)), s.User, s.Password, s.Database
	connector, err := mysql.NewConnector(config)
	if err != nil {
		t.Fatal(err)
	}
	db := sql.OpenDB(connector)
	defer db.Close()
	for _, text := range statements {
		if _, err := db.ExecContext(ctx, text); err != nil {
			t.Fatalf("%.200s: %s", text, err)
		}
	}
}

func (s *Server) doPostgres(ctx context.Context, t testing.TB, statements []string) {
	t.Helper()
	config, err := pgconn.ParseConfig("sslmode=disable")
	if err != nil {
		t.Fatal(err)
	}
	config.Host, config.Port, config.User, config.Password, config.Database = s.Host, uint16(s.Port), s.User, s.Password, s.Database
	conn, err := pgconn.ConnectConfig(ctx, config)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	for _, text := range statements {
		if _, err := conn.Exec(ctx, text).ReadAll(); err != nil {
			t.Fatalf("%.200s: %s", text, err)
		}
	}
}
