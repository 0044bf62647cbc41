package app

import (
	"crypto/tls"
	"log/slog"
	"os"
	"sync"
	"time"
)

// lookAgain is how often it is looked whether a certificate was exchanged.
const lookAgain = 10 * time.Second

// certificate is one in files, which may be exchanged while it is in use.
type certificate struct {
	file, key string
	now       func() time.Time
	log       *slog.Logger

	mu      sync.Mutex
	looked  time.Time
	changed [2]time.Time // when the files were
	present *tls.Certificate
}

// openCertificate reads a certificate with its key (PEM); it fails where they do not belong
// together.
func openCertificate(file, key string, now func() time.Time, log *slog.Logger) (*certificate, error) {
	c := &certificate{file: file, key: key, now: now, log: log}
	err := c.read()
	return c, err
}

// config is what a listener needs.
func (c *certificate) config() *tls.Config {
	return &tls.Config{GetCertificate: c.get, MinVersion: tls.VersionTLS12}
}

func (c *certificate) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.now().Sub(c.looked) < lookAgain {
		return c.present, nil
	}
	if changed, err := c.times(); err == nil && changed == c.changed {
		c.looked = c.now()
		return c.present, nil
	}
	if err := c.read(); err != nil { // perhaps it is just being written
		c.log.Warn("the new certificate cannot be used: the one before stays", "error", err)
	}
	return c.present, nil
}

func (c *certificate) read() error {
	c.looked = c.now()
	changed, err := c.times()
	if err != nil {
		return err
	}
	pair, err := tls.LoadX509KeyPair(c.file, c.key)
	if err != nil {
		return err
	}
	c.present, c.changed = &pair, changed
	return nil
}

func (c *certificate) times() (out [2]time.Time, err error) {
	for i, file := range []string{c.file, c.key} {
		info, err := os.Stat(file)
		if err != nil {
			return out, err
		}
		out[i] = info.ModTime()
	}
	return out, nil
}
