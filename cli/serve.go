package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/spf13/viper"

	"twinsieve/api"
	"twinsieve/console"
	"twinsieve/service"
	"twinsieve/store"
)

// serving are the settings of a service.
type serving struct {
	listen  string
	data    string
	memory  string
	workers int
	folder  string
	keyFile string
	upload  string
	inside  bool
	retry   time.Duration
	look    time.Duration
	verbose bool
	config  string
	names   []string // of the settings, as options and in the settings file
}

func (s *serving) flags(cmd *cobra.Command, data string) {
	f := pflag.NewFlagSet("", pflag.ContinueOnError)
	f.StringVar(&s.listen, "listen", "127.0.0.1:8646", "address and port to listen on")
	f.StringVar(&s.data, "data", data, "folder of the data file")
	f.StringVar(&s.memory, "memory", "", "memory to keep to, such as 2GB (default: a quarter of the machine's)")
	wholeNumberVar(f, &s.workers, "workers", 0, 1, mostWorkers, "use at most `N` processors for a job (default: all)")
	f.StringVar(&s.folder, "folder", "", "folder from which files may be loaded by name (default: none)")
	f.StringVar(&s.keyFile, "key-file", "", "file with the key that passwords of databases are encrypted with (default: secrets.key in the folder of the data file)")
	f.StringVar(&s.upload, "upload-limit", "", "most bytes of a file that is sent, such as 4GB (default: 16GB)")
	f.BoolVar(&s.inside, "webhooks-inside", false, "let webhooks go to this machine and to the service's own network")
	durationVar(f, &s.retry, "retry-wait", 30*time.Second, time.Millisecond, "wait before a webhook is tried again; four times as long before each further try")
	durationVar(f, &s.look, "look-every", 5*time.Second, time.Millisecond, "how often schedules, and files that are waited for, are looked at")
	f.BoolVar(&s.verbose, "verbose", false, "log every request")
	f.VisitAll(func(setting *pflag.Flag) { s.names = append(s.names, setting.Name) })
	cmd.Flags().AddFlagSet(f)
	cmd.Flags().StringVar(&s.config, "config", "", "file with settings, YAML with the names of these options")
}

// settle fills in what the options do not state: first from variables, then from the settings file.
func (s *serving) settle(cmd *cobra.Command) error {
	v := viper.New()
	v.SetEnvPrefix("TWINSIEVE")
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	if s.config == "" {
		s.config = os.Getenv("TWINSIEVE_CONFIG")
	}
	if s.config != "" {
		if err := knownSettings(s.config, s.names); err != nil {
			return err
		}
		v.SetConfigFile(s.config)
		v.SetConfigType("yaml")
		if err := v.ReadInConfig(); err != nil {
			return wrongRequest("the settings file cannot be read: %s", err)
		}
	}
	for _, name := range s.names {
		if flag := cmd.Flags().Lookup(name); !flag.Changed && v.IsSet(name) {
			if err := flag.Value.Set(v.GetString(name)); err != nil {
				return wrongRequest("the setting %s=%q: %s", name, v.GetString(name), settingText(err))
			}
		}
	}
	return nil
}

// settingText is what is wrong with the value of a setting, without how the library says it.
func settingText(err error) string {
	if own := errors.Unwrap(err); own != nil {
		return "not readable: " + own.Error()
	}
	return err.Error()
}

func firstLine(err error) string {
	first, _, _ := strings.Cut(err.Error(), "\n")
	return first
}

// knownSettings refuses a settings file with a name that is none of a setting.
func knownSettings(file string, names []string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return wrongRequest("the settings file cannot be read: %s", err)
	}
	var settings map[string]any
	if err := yaml.Unmarshal(text, &settings); err != nil {
		return wrongRequest("the settings file %s is not a list of settings such as listen: 127.0.0.1:8646: %s", file, firstLine(err))
	}
	for _, name := range slices.Sorted(maps.Keys(settings)) {
		if err := checkWord(strings.ToLower(name), names); err != nil {
			return wrongRequest("the settings file %s %s", file, err)
		}
	}
	return nil
}

// defaultData is where a service keeps its data unless told otherwise.
func defaultData() string {
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, "twinsieve")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "twinsieve-data"
	}
	return filepath.Join(home, ".local", "share", "twinsieve")
}

func newServe() *cobra.Command {
	s := &serving{}
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Run the service, with its console",
		Long: `Run the service, with its console, until it is interrupted.

Settings come from options, then from variables such as TWINSIEVE_LISTEN, then from the file named by --config.`,
		Example: `  twinsieve serve --data ./marrowick-data --listen 127.0.0.1:8646`,
		Args:    exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := s.settle(cmd); err != nil {
				return err
			}
			return s.run(cmd.Context(), cmd.ErrOrStderr(), func(address string, v *service.Service) error {
				link, err := v.FirstLink(cmd.Context())
				if err != nil {
					return broken("%w", err)
				}
				if link != "" {
					fmt.Fprintf(cmd.OutOrStdout(), "Nobody can sign in yet. This link makes the first admin, once, within a day: %s%s\n", address, link)
				}
				fmt.Fprintf(cmd.OutOrStdout(), "Twin Sieve listens on %s\n", address)
				return nil
			})
		},
	}
	s.flags(cmd, defaultData())
	return cmd
}

// run serves until the context ends. When the service answers, ready is called with its address and itself.
func (s *serving) run(ctx context.Context, log io.Writer, ready func(address string, v *service.Service) error) error {
	memory := defaultMemory()
	if s.memory != "" {
		var err error
		if memory, err = parseBytes("--memory", s.memory, leastMemory); err != nil {
			return err
		}
	}
	var upload int64
	if s.upload != "" {
		var err error
		if upload, err = parseBytes("--upload-limit", s.upload, leastUpload); err != nil {
			return err
		}
	}
	if s.folder != "" {
		if info, err := os.Stat(s.folder); err != nil || !info.IsDir() {
			return wrongRequest("--folder %s is no folder that can be read", s.folder)
		}
	}
	if err := apart(s.folder, s.data, s.keyFile); err != nil {
		return err
	}
	level := slog.LevelInfo
	if s.verbose {
		level = slog.LevelDebug
	}
	logger := slog.New(slog.NewTextHandler(log, &slog.HandlerOptions{Level: level}))
	listener, err := net.Listen("tcp", s.listen)
	if errors.Is(err, syscall.EADDRINUSE) {
		return broken("the address %s is taken, perhaps by another twinsieve; stop that program, or name another address with --listen", s.listen)
	}
	if err != nil {
		return wrongRequest("cannot listen on %s: %s; name an address such as 127.0.0.1:8646 with --listen", s.listen, err)
	}
	defer listener.Close()
	st, err := store.Open(s.data)
	if err != nil {
		return broken("%w", err)
	}
	defer func() {
		if err := st.Close(); err != nil {
			logger.Error("closing the data file", "error", err)
		}
	}()
	keyFile := s.keyFile
	if keyFile == "" {
		keyFile = filepath.Join(s.data, "secrets.key")
	}
	v := service.New(st, service.Options{Memory: keepTo(memory), Workers: s.workers, Upload: upload, Folder: s.folder, KeyFile: keyFile, Log: logger, WebhooksInside: s.inside, RetryWait: s.retry, LookEvery: s.look})
	defer v.Close()
	stopped, stop := context.WithCancel(context.Background())
	defer stop()
	server := &http.Server{Handler: api.Handler(v, console.Files(), logger), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: slog.NewLogLogger(logger.Handler(), slog.LevelWarn),
		BaseContext: func(net.Listener) context.Context { return stopped }}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(listener) }()
	if at, err := netip.ParseAddrPort(listener.Addr().String()); err == nil && !at.Addr().Unmap().IsLoopback() {
		logger.Warn("this address can be reached from other machines, and what goes there can be read on the way: let a proxy that speaks TLS stand before it", "address", at.String())
	}
	address := "http://" + listener.Addr().String()
	if err := ready(address, v); err != nil {
		return err
	}
	select {
	case err := <-ended:
		return broken("the service ended: %s", err)
	case <-ctx.Done():
	}
	// Running jobs end first, so that whoever follows them hears of it; then open answers have a moment.
	v.Close()
	patience, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := server.Shutdown(patience); err != nil {
		logger.Warn("some answers were cut off", "error", err)
	}
	return nil
}

// apart refuses a folder from which files are loaded by name that holds the service's own files, or lies among them: whoever may load could
// read passwords' hashes and keys.
func apart(folder, data, keyFile string) error {
	if folder == "" {
		return nil
	}
	within := func(inner, outer string) bool {
		rel, err := filepath.Rel(realPath(outer), realPath(inner))
		return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
	}
	switch {
	case within(data, folder):
		return wrongRequest("--folder %s contains the data directory %s, so its files could be loaded; name folders that lie apart", folder, data)
	case within(folder, data):
		return wrongRequest("--folder %s is inside the data directory %s; name folders that lie apart", folder, data)
	case keyFile != "" && within(keyFile, folder):
		return wrongRequest("--folder %s contains the key file %s, so it could be loaded; keep it elsewhere", folder, keyFile)
	}
	return nil
}

// realPath is a path without links, as far as it exists.
func realPath(path string) string {
	path, _ = filepath.Abs(path) // it fails only where the working directory is gone
	for end := ""; ; {
		if real, err := filepath.EvalSymlinks(path); err == nil {
			return filepath.Join(real, end)
		}
		parent := filepath.Dir(path)
		if parent == path {
			return filepath.Join(path, end)
		}
		end, path = filepath.Join(filepath.Base(path), end), parent
	}
}

// serverAddress is where commands look for the service.
func serverAddress(flag string) string {
	if flag == "" {
		flag = os.Getenv("TWINSIEVE_SERVER")
	}
	if flag == "" {
		flag = "127.0.0.1:8646"
	}
	if !strings.Contains(flag, "://") {
		flag = "http://" + flag
	}
	return flag
}

// checkAddress refuses what is not the address of a service.
func checkAddress(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return wrongRequest("--server %q is not an address; write http://HOST:8646", strings.TrimPrefix(address, "http://"))
	}
	return nil
}
