package app

import (
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"time"
)

// listen serves the screens and the API, over TLS where there is a certificate.
func (a *App) listen(handler http.Handler) error {
	a.server = &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    1 << 16,
		// What strangers do wrong on a connection is theirs.
		ErrorLog: slog.NewLogLogger(a.log.Handler(), slog.LevelDebug),
	}
	serve := a.server.Serve
	if a.Config.Certificate != "" {
		c, err := openCertificate(a.Config.Certificate, a.Config.Key, time.Now, a.log)
		if err != nil {
			return fmt.Errorf("the certificate: %w", err)
		}
		a.server.TLSConfig = c.config()
		serve = func(l net.Listener) error { return a.server.ServeTLS(l, "", "") }
	}
	listener, err := net.Listen("tcp", a.Config.Listen)
	if err != nil {
		return fmt.Errorf("the screens: %w", err)
	}
	go func() {
		if err := serve(listener); !errors.Is(err, http.ErrServerClosed) {
			a.log.Error("the screens ended", "error", err)
		}
	}()
	return nil
}
