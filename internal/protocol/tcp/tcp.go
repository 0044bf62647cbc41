// Package tcp asks whether a port accepts connections, and what it says.
package tcp

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"syscall"
	"time"
)

// What opening a connection may meet.
var (
	ErrRefused = errors.New("refuses connections")
	ErrSilent  = errors.New("no answer")
	ErrNoWay   = errors.New("there is no way")
)

// Talk is what to say after connecting, and what to expect; empty for nothing.
type Talk struct{ Send, Expect string }

// maxAnswer bounds what is read of an answer, in bytes.
const maxAnswer = 4096

// Ask opens a connection, talks where that is wanted, and closes it. took is
// how long connecting took; the answer is what was read, at most 4 KiB. The
// error says in words whether the port refused, stayed silent, or answered
// something else.
func Ask(ctx context.Context, to netip.AddrPort, timeout time.Duration, t Talk) (took time.Duration, answer string, err error) {
	start := time.Now()
	conn, err := (&net.Dialer{Timeout: timeout}).DialContext(ctx, "tcp", to.String())
	took = time.Since(start)
	if err != nil {
		return took, "", inWords(err, to, timeout)
	}
	defer conn.Close()
	if t == (Talk{}) {
		return took, "", nil
	}
	_ = conn.SetDeadline(start.Add(timeout))
	stop := context.AfterFunc(ctx, func() { _ = conn.SetDeadline(time.Unix(1, 0)) })
	defer stop()
	if _, err := conn.Write([]byte(t.Send)); err != nil {
		return took, "", inWords(err, to, timeout)
	}
	answer, err = read(conn, t.Expect)
	if !strings.Contains(answer, t.Expect) {
		if answer == "" && err != nil {
			return took, "", inWords(err, to, timeout)
		}
		return took, answer, fmt.Errorf("port %d answers %.60q, where %q is expected", to.Port(), answer, t.Expect)
	}
	return took, answer, nil
}

// read takes what comes until the expected text is there, or all that fits.
func read(conn net.Conn, expect string) (string, error) {
	buf := make([]byte, 0, maxAnswer)
	for len(buf) < maxAnswer {
		n, err := conn.Read(buf[len(buf):maxAnswer])
		buf = buf[:len(buf)+n]
		if expect != "" && strings.Contains(string(buf), expect) {
			return string(buf), nil
		}
		if err != nil {
			return string(buf), err
		}
		if expect == "" {
			break // the first that it says is enough
		}
	}
	return string(buf), nil
}

func inWords(err error, to netip.AddrPort, timeout time.Duration) error {
	var timed net.Error
	switch {
	case errors.Is(err, syscall.ECONNREFUSED):
		return fmt.Errorf("port %d %w", to.Port(), ErrRefused)
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return fmt.Errorf("%w to %s, says somebody on it", ErrNoWay, to.Addr())
	case errors.As(err, &timed) && timed.Timeout():
		return fmt.Errorf("%w from port %d in %s", ErrSilent, to.Port(), timeout)
	}
	return err
}
