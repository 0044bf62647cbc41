package mail

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"io"
	"net"
	"net/http/httptest"
	"net/textproto"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// peer is a mail server that refuses as told and keeps what it takes.
type peer struct {
	mu       sync.Mutex
	mails    []string
	users    []string
	refuseAt string // "sender", "recipient" or "data"
	code     int
}

func (p *peer) NewSession(*smtp.Conn) (smtp.Session, error) { return &talk{p}, nil }

type talk struct{ *peer }

func (s *talk) refusal(at string) error {
	if s.refuseAt != at {
		return nil
	}
	return &smtp.SMTPError{Code: s.code, EnhancedCode: smtp.EnhancedCode{s.code / 100, 1, 1}, Message: "not " + at + " today"}
}

func (s *talk) AuthMechanisms() []string { return []string{sasl.Plain} }

func (s *talk) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, user, password string) error {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.users = append(s.users, user)
		if password != "harbour" {
			return errors.New("wrong password")
		}
		return nil
	}), nil
}

func (s *talk) Mail(string, *smtp.MailOptions) error { return s.refusal("sender") }
func (s *talk) Rcpt(string, *smtp.RcptOptions) error { return s.refusal("recipient") }
func (s *talk) Reset()                               {}
func (s *talk) Logout() error                        { return nil }

func (s *talk) Data(r io.Reader) error {
	if err := s.refusal("data"); err != nil {
		return err
	}
	data, err := io.ReadAll(r)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.mails = append(s.mails, string(data))
	return err
}

func (p *peer) listen(t *testing.T) Server {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	srv := smtp.NewServer(p)
	srv.Domain, srv.AllowInsecureAuth = "mail.kittiwake.example", true
	go func() { _ = srv.Serve(l) }()
	t.Cleanup(func() { _ = srv.Close() })
	return here(l.Addr().(*net.TCPAddr).Port)
}

// here is a server of this machine.
func here(port int) Server {
	return Server{Host: "127.0.0.1", Port: port, From: "owl@kittiwake.example", Encryption: NoTLS}
}

func message() Message {
	return Message{
		To:      "shore-desk@kittiwake.example",
		Subject: "Critical: Ŝkerry House is silent",
		Body:    "first line\r\n.\r\nlast line, 90 %",
		ID:      "delivery-7@owl",
	}
}

func TestSendHandsTheWholeMessageOver(t *testing.T) {
	p := &peer{}
	outcome, _, err := p.listen(t).Send(t.Context(), message())
	require.NoError(t, err)
	assert.Contains(t, outcome, "accepted")
	require.Len(t, p.mails, 1)
	got := p.mails[0]
	assert.Contains(t, got, "Message-ID: <delivery-7@owl>", "the same message sent twice can be told")
	assert.Contains(t, got, "To: <shore-desk@kittiwake.example>")
	assert.Contains(t, got, "Subject: =?UTF-8?q?", "RFC 2047 for what is not ASCII")
	assert.NotContains(t, got, "go-mail", "what it is made with concerns nobody")
	assert.Contains(t, got, "last line", "a lone dot does not end the message")
}

// A 4xx answer may pass (RFC 5321, 4.2.1): it is tried again; a 5xx will not.
func TestRefusalsTellWhetherToTryAgain(t *testing.T) {
	for _, at := range []string{"sender", "recipient", "data"} {
		for code, forGood := range map[int]bool{451: false, 452: false, 550: true, 554: true} {
			p := &peer{refuseAt: at, code: code}
			_, permanent, err := p.listen(t).Send(t.Context(), message())
			require.Error(t, err, at)
			assert.Equal(t, forGood, permanent, "%s %d: %v", at, code, err)
			assert.Contains(t, err.Error(), "not "+at+" today", "the server's own words")
			assert.Empty(t, p.mails)
		}
	}
}

// A server that refuses is left as one that takes (RFC 5321, 4.1.1.10).
func TestARefusalEndsInOrder(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	last := make(chan string, 1)
	go func() {
		conn, err := l.Accept()
		if err != nil {
			return
		}
		defer conn.Close()
		text, said := textproto.NewConn(conn), ""
		_ = text.PrintfLine("220 mail.kittiwake.example")
		for line, err := text.ReadLine(); err == nil; line, err = text.ReadLine() {
			said = line
			answer := "250 well"
			if strings.HasPrefix(line, "RCPT") {
				answer = "550 there is no such mailbox"
			}
			_ = text.PrintfLine("%s", answer)
		}
		last <- said
	}()
	_, permanent, err := here(l.Addr().(*net.TCPAddr).Port).Send(t.Context(), message())
	assert.ErrorContains(t, err, "no such mailbox")
	assert.True(t, permanent)
	assert.Equal(t, "QUIT", <-last)
}

func TestWrongAddressesAreNeverTriedAgain(t *testing.T) {
	s := (&peer{}).listen(t)
	for _, change := range []func(*Server, *Message){
		func(_ *Server, m *Message) { m.To = "nobody" },
		func(_ *Server, m *Message) { m.To = "a@b.example\r\nBcc: c@d.example" },
		func(s *Server, _ *Message) { s.From = "" },
	} {
		server, m := s, message()
		change(&server, &m)
		_, permanent, err := server.Send(t.Context(), m)
		assert.Error(t, err)
		assert.True(t, permanent)
	}
}

func TestUserAndPassword(t *testing.T) {
	p := &peer{}
	s := p.listen(t)
	s.Host = "localhost" // go-mail sends passwords in the clear to this machine only
	s.User, s.Password = "owl", domain.Secret("harbour")
	_, _, err := s.Send(t.Context(), message())
	require.NoError(t, err)
	assert.Equal(t, []string{"owl"}, p.users)
	s.Password = "wrong-one"
	_, _, err = s.Send(t.Context(), message())
	require.Error(t, err)
	assert.NotContains(t, err.Error(), "wrong-one")
}

func TestTLSIsDemanded(t *testing.T) {
	p := &peer{}
	s := p.listen(t)
	s.Encryption = ""
	_, permanent, err := s.Send(t.Context(), message())
	assert.ErrorContains(t, err, "offers no encryption")
	assert.False(t, permanent, "somebody may still set it up")
	assert.Empty(t, p.mails)
}

func TestNobodyListens(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	port := l.Addr().(*net.TCPAddr).Port
	l.Close()
	_, permanent, err := here(port).Send(t.Context(), message())
	require.Error(t, err)
	assert.False(t, permanent)
	assert.True(t, strings.Contains(err.Error(), "refused"), err.Error())
}

// A server that takes the connection and then says nothing must not hold us.
func TestASilentServerIsLeft(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			if _, err := l.Accept(); err != nil {
				return
			}
		}
	}()
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, permanent, err := here(l.Addr().(*net.TCPAddr).Port).Send(ctx, message())
	assert.Error(t, err)
	assert.False(t, permanent)
}

// scripted is a server that takes a message and then does as it is told.
func scripted(t *testing.T, after func(conn net.Conn)) (Server, *atomic.Int64) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	taken := new(atomic.Int64)
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go converse(conn, taken, after)
		}
	}()
	return here(l.Addr().(*net.TCPAddr).Port), taken
}

func converse(conn net.Conn, taken *atomic.Int64, after func(net.Conn)) {
	defer conn.Close()
	text := textproto.NewConn(conn)
	_ = text.PrintfLine("220 mail.kittiwake.example")
	for {
		line, err := text.ReadLine()
		if err != nil {
			return
		}
		switch {
		case strings.HasPrefix(line, "EHLO"):
			_ = text.PrintfLine("250-mail.kittiwake.example")
			_ = text.PrintfLine("250 8BITMIME")
		case line == "DATA":
			_ = text.PrintfLine("354 go on")
			if _, err := text.ReadDotBytes(); err != nil {
				return
			}
			taken.Add(1)
			after(conn)
			return
		default:
			_ = text.PrintfLine("250 well")
		}
	}
}

// What the server took is taken, whatever becomes of the farewell.
func TestOnlyTheAnswerToTheMessageDecides(t *testing.T) {
	for name, after := range map[string]func(net.Conn){
		"it hangs up":               func(conn net.Conn) { _, _ = conn.Write([]byte("250 taken\r\n")) },
		"it says nothing to QUIT":   func(conn net.Conn) { _, _ = conn.Write([]byte("250 taken\r\n")); _, _ = io.Copy(io.Discard, conn) },
		"it refuses QUIT":           func(conn net.Conn) { _, _ = conn.Write([]byte("250 taken\r\n421 too busy\r\n")) },
		"it takes a while to think": func(conn net.Conn) { time.Sleep(300 * time.Millisecond); _, _ = conn.Write([]byte("250 taken\r\n")) },
	} {
		s, taken := scripted(t, after)
		outcome, _, err := s.Send(t.Context(), message())
		require.NoError(t, err, name)
		assert.Contains(t, outcome, "accepted", name)
		assert.Equal(t, int64(1), taken.Load(), name)
	}
	s, _ := scripted(t, func(conn net.Conn) { _, _ = conn.Write([]byte("451 no room\r\n")) })
	_, permanent, err := s.Send(t.Context(), message())
	assert.ErrorContains(t, err, "no room")
	assert.False(t, permanent)
	s, _ = scripted(t, func(net.Conn) {})
	_, permanent, err = s.Send(t.Context(), message())
	assert.Error(t, err, "without an answer nobody knows")
	assert.False(t, permanent)
}

// certified is a certificate of 127.0.0.1 and who trusts it.
func certified(t *testing.T) (*tls.Config, *x509.CertPool) {
	t.Helper()
	web := httptest.NewTLSServer(nil) // it has one of its own
	t.Cleanup(web.Close)
	roots := x509.NewCertPool()
	roots.AddCert(web.Certificate())
	return &tls.Config{Certificates: web.TLS.Certificates}, roots
}

// Encrypted, a message goes to a server whose certificate is trusted, and to no other.
func TestCertificatesAreChecked(t *testing.T) {
	config, roots := certified(t)
	for _, how := range []string{StartTLS, FromTLS} {
		p := &peer{}
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		srv := smtp.NewServer(p)
		srv.Domain, srv.TLSConfig = "mail.kittiwake.example", config
		at := l.Addr().(*net.TCPAddr).Port
		if how == FromTLS {
			l = tls.NewListener(l, config)
		}
		go func() { _ = srv.Serve(l) }()
		t.Cleanup(func() { _ = srv.Close() })
		s := Server{Host: "127.0.0.1", Port: at, From: "owl@kittiwake.example", Encryption: how, User: "owl", Password: "harbour"}
		_, permanent, err := s.Send(t.Context(), message())
		assert.ErrorContains(t, err, "certificate", how)
		assert.False(t, permanent, how)
		assert.Empty(t, p.users, "%s: the password did not leave", how)
		s.Roots = roots
		_, _, err = s.Send(t.Context(), message())
		require.NoError(t, err, how)
		assert.Len(t, p.mails, 1, how)
		assert.Equal(t, []string{"owl"}, p.users, how)
		s.Host = "localhost" // of which the certificate does not tell
		_, _, err = s.Send(t.Context(), message())
		assert.ErrorContains(t, err, "certificate", how)
	}
}

// A server that never ends its answer is left.
func TestATalkativeServerIsLeft(t *testing.T) {
	s, _ := scripted(t, func(conn net.Conn) {
		for line := []byte(strings.Repeat("x", 4096)); ; {
			if _, err := conn.Write(line); err != nil {
				return
			}
		}
	})
	_, permanent, err := s.Send(t.Context(), message())
	require.Error(t, err)
	assert.Less(t, len(err.Error()), 400, "what it says is told in brief")
	assert.False(t, permanent)
}
