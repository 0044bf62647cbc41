// Package config holds the settings of a process: flags, environment, defaults.
package config

import (
	"errors"
	"flag"
	"fmt"
	"io"
	"net"
	"net/netip"
	"path/filepath"
	"strings"
	"time"
)

// Config is all settings.
type Config struct {
	Listen      string     // address of the screens and the API
	URL         string     // how people reach it, for links in messages
	DataDir     string     // key file, private database
	DatabaseURL string     // an existing server; empty for the private one
	DemoBase    netip.Addr // first simulated address
	DemoPort    int        // port of the simulated devices
	KeepDays    int        // how long single samples are kept
	LogLevel    string
}

// setting describes one setting for flags, environment and help.
type setting struct {
	flag, env, fallback, about string
	set                        func(*Config, string) error
}

func settings() []setting {
	text := func(p func(*Config) *string) func(*Config, string) error {
		return func(c *Config, v string) error { *p(c) = v; return nil }
	}
	number := func(p func(*Config) *int, low, high int) func(*Config, string) error {
		return func(c *Config, v string) error {
			n, err := fmt.Sscan(v, p(c))
			if err != nil || n != 1 || *p(c) < low || *p(c) > high {
				return fmt.Errorf("must be a number from %d to %d", low, high)
			}
			return nil
		}
	}
	return []setting{
		{"listen", "OWL_LISTEN", "127.0.0.1:8470", "address of the screens and the API", text(func(c *Config) *string { return &c.Listen })},
		{"url", "OWL_URL", "", "how people reach it, for links in messages; default http://LISTEN", text(func(c *Config) *string { return &c.URL })},
		{"data-dir", "OWL_DATA_DIR", "var", "folder of the key file and the private database", text(func(c *Config) *string { return &c.DataDir })},
		{"database-url", "OWL_DATABASE_URL", "", "an existing PostgreSQL server instead of the private one", text(func(c *Config) *string { return &c.DatabaseURL })},
		{"demo-base", "OWL_DEMO_BASE", "127.77.0.0", "first address of the simulated estate", func(c *Config, v string) (err error) {
			c.DemoBase, err = netip.ParseAddr(v)
			if err == nil && !c.DemoBase.IsLoopback() {
				err = errors.New("must be a loopback address")
			}
			return err
		}},
		{"demo-port", "OWL_DEMO_PORT", "0", "port of the simulated devices; 0 derives it from the first address", number(func(c *Config) *int { return &c.DemoPort }, 0, 65535)},
		{"keep-days", "OWL_KEEP_DAYS", "90", "days that single samples are kept", number(func(c *Config) *int { return &c.KeepDays }, 1, 3650)},
		{"log-level", "OWL_LOG_LEVEL", "info", "debug, info, warn or error", text(func(c *Config) *string { return &c.LogLevel })},
	}
}

// Load reads flags first, then the environment, then defaults. The arguments
// that are left over are returned.
func Load(args []string, env func(string) string) (Config, []string, error) {
	var c Config
	flags := flag.NewFlagSet("owl", flag.ContinueOnError)
	flags.SetOutput(io.Discard)
	given := map[string]*string{}
	all := settings()
	for _, s := range all {
		given[s.flag] = flags.String(s.flag, "", s.about)
	}
	if err := flags.Parse(args); err != nil {
		return c, nil, err
	}
	for _, s := range all {
		value, from := s.fallback, s.env
		if v := env(s.env); v != "" {
			value = v
		}
		if v := *given[s.flag]; v != "" {
			value, from = v, "--"+s.flag
		}
		if err := s.set(&c, value); err != nil {
			return c, nil, fmt.Errorf("%s=%q: %w", from, value, err)
		}
	}
	return c, flags.Args(), c.finish()
}

func (c *Config) finish() error {
	host, port, err := net.SplitHostPort(c.Listen)
	if err != nil {
		return fmt.Errorf("OWL_LISTEN=%q: must be HOST:PORT", c.Listen)
	}
	if c.URL == "" {
		if host == "" || host == "0.0.0.0" || host == "::" {
			host = "127.0.0.1"
		}
		c.URL = "http://" + net.JoinHostPort(host, port)
	}
	c.URL = strings.TrimRight(c.URL, "/")
	if c.DataDir, err = filepath.Abs(c.DataDir); err != nil {
		return err
	}
	if c.DemoPort == 0 {
		b := c.DemoBase.As4()
		c.DemoPort = 16000 + int(b[1])
	}
	return nil
}

// KeyFile is where the key of the secrets lies.
func (c Config) KeyFile() string { return filepath.Join(c.DataDir, "secret.key") }

// Keep is how long single samples are kept.
func (c Config) Keep() time.Duration { return time.Duration(c.KeepDays) * 24 * time.Hour }

// Help lists all settings.
func Help(w io.Writer) {
	for _, s := range settings() {
		fmt.Fprintf(w, "  %-18s %-14s %s", s.env, "--"+s.flag, s.about)
		if s.fallback != "" && s.fallback != "0" {
			fmt.Fprintf(w, " (default %s)", s.fallback)
		}
		fmt.Fprintln(w)
	}
}
