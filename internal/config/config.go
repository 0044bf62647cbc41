// Package config holds the settings of a process. Tags describe each for the
// command line, the environment and the help (github.com/alecthomas/kong).
package config

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Config is all settings. Flags come before the environment, that before
// the defaults.
type Config struct {
	Listen      string     `env:"OWL_LISTEN" default:"127.0.0.1:8470" placeholder:"HOST:PORT" help:"Of screens and API (${default})."`
	URL         string     `name:"url" env:"OWL_URL" help:"How people reach it, for links in messages; default http://LISTEN."`
	DataDir     string     `env:"OWL_DATA_DIR" default:"var" placeholder:"DIR" help:"Folder of key and private database (${default})."`
	DatabaseURL string     `name:"database-url" env:"OWL_DATABASE_URL" help:"An existing PostgreSQL server instead of the private one."`
	DemoBase    netip.Addr `env:"OWL_DEMO_BASE" default:"127.77.0.0" placeholder:"ADDRESS" help:"First simulated address (${default})."`
	DemoPort    int        `env:"OWL_DEMO_PORT" default:"0" placeholder:"N" help:"Port of simulated devices; 0 derives it from the base."`
	KeepDays    int        `env:"OWL_KEEP_DAYS" default:"90" placeholder:"N" help:"Days that single samples are kept (${default})."`
	// Proxies are those whose word is taken for where a request came from.
	Proxies []netip.Prefix `name:"trusted-proxies" env:"OWL_TRUSTED_PROXIES" placeholder:"NET,…" help:"Networks of proxies before it."`
	// Certificate and its key let it speak HTTPS by itself.
	Certificate string `name:"tls-certificate" env:"OWL_TLS_CERTIFICATE" placeholder:"FILE" help:"For HTTPS (PEM, with those above it)."`
	Key         string `name:"tls-key" env:"OWL_TLS_KEY" placeholder:"FILE" help:"The key of the certificate (PEM)."`
	// Allow are addresses that are talked to although they are of this machine, link-local or
	// multicast.
	Allow []netip.Prefix `name:"allow-addresses" env:"OWL_ALLOW_ADDRESSES" placeholder:"NET,…" help:"Own or link-local ones to ask."`
	// ClockFile holds by how many seconds the wall clock is off, for rehearsals.
	ClockFile string `env:"OWL_CLOCK_FILE" hidden:""`
	// Throwaway lets the private database trade durability for speed, for tests whose data nobody keeps.
	Throwaway bool   `env:"OWL_THROWAWAY_DATA" hidden:""`
	LogLevel  string `env:"OWL_LOG_LEVEL" default:"info" enum:"debug,info,warn,error" placeholder:"LEVEL" help:"${enum} (${default})."`
}

// Validate refuses settings that cannot be; the error names the setting.
func (c *Config) Validate() error {
	if _, _, err := net.SplitHostPort(c.Listen); err != nil {
		return fmt.Errorf("--listen (OWL_LISTEN) %q: must be HOST:PORT", c.Listen)
	}
	if !c.DemoBase.Is4() || !c.DemoBase.IsLoopback() {
		return fmt.Errorf("--demo-base (OWL_DEMO_BASE) %s: must be an IPv4 loopback address such as 127.77.0.0", c.DemoBase)
	}
	if c.DemoPort < 0 || c.DemoPort > 65535 {
		return fmt.Errorf("--demo-port (OWL_DEMO_PORT) %d: must be from 0 to 65535", c.DemoPort)
	}
	if c.KeepDays < 1 || c.KeepDays > 3650 {
		return fmt.Errorf("--keep-days (OWL_KEEP_DAYS) %d: must be from 1 to 3650", c.KeepDays)
	}
	if (c.Certificate == "") != (c.Key == "") {
		return errors.New("--tls-certificate (OWL_TLS_CERTIFICATE) and --tls-key (OWL_TLS_KEY) belong together")
	}
	return nil
}

// AfterApply works out what follows from other settings.
func (c *Config) AfterApply() (err error) {
	if err := c.Validate(); err != nil {
		return err
	}
	if c.URL == "" {
		host, port, _ := net.SplitHostPort(c.Listen) // it was validated
		if slices.Contains([]string{"", "0.0.0.0", "::", "127.0.0.1", "::1"}, host) {
			host = "localhost" // passkeys belong to a name
		}
		c.URL = "http://" + net.JoinHostPort(host, port)
		if c.Certificate != "" {
			c.URL = "https://" + net.JoinHostPort(host, port)
		}
	}
	c.URL = strings.TrimRight(c.URL, "/")
	if c.DemoPort == 0 {
		c.DemoPort = 16000 + int(c.DemoBase.As4()[1])
	}
	c.DataDir, err = filepath.Abs(c.DataDir)
	return err
}

// ForgetEmpty takes empty variables of ours out of the environment: they mean
// that nothing is set.
func ForgetEmpty() {
	for _, pair := range os.Environ() {
		if name, ok := strings.CutSuffix(pair, "="); ok && strings.HasPrefix(name, "OWL_") {
			_ = os.Unsetenv(name)
		}
	}
}

// KeyFile is where the key of the secrets lies.
func (c Config) KeyFile() string { return filepath.Join(c.DataDir, "secret.key") }

// Keep is how long single samples are kept.
func (c Config) Keep() time.Duration { return time.Duration(c.KeepDays) * 24 * time.Hour }
