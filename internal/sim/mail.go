package sim

import (
	"bytes"
	"encoding/json"
	"io"
	"mime"
	"mime/quotedprintable"
	"net/http"
	"net/mail"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Mail is one message that the sink took.
type Mail struct {
	At      time.Time `json:"at"`
	From    string    `json:"from"`
	To      []string  `json:"to"`
	Subject string    `json:"subject"`
	ID      string    `json:"message_id"`
	Body    string    `json:"body"`
}

// keepMails bounds how many messages the sink holds.
const keepMails = 2000

// sink is a mail server that delivers to a page.
type sink struct {
	mu     sync.Mutex
	mails  []Mail
	file   string
	faults *faults
}

func newSink(file string, f *faults) *sink {
	s := &sink{file: file, faults: f}
	if data, err := os.ReadFile(file); err == nil {
		_ = json.Unmarshal(data, &s.mails)
	}
	return s
}

func (s *sink) server(addr string) *smtp.Server {
	srv := smtp.NewServer(s)
	srv.Addr, srv.Domain = addr, "mail.kittiwake.example"
	srv.ReadTimeout, srv.WriteTimeout = 30*time.Second, 30*time.Second
	srv.MaxMessageBytes, srv.MaxRecipients = 1<<20, 100
	return srv
}

// NewSession implements smtp.Backend.
func (s *sink) NewSession(c *smtp.Conn) (smtp.Session, error) { return &session{sink: s, conn: c}, nil }

type session struct {
	sink *sink
	conn *smtp.Conn
	from string
	to   []string
}

// Mail implements smtp.Session.
func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	if s.sink.faults.has(FaultMailRefuses) {
		return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "the mail store is being repaired"}
	}
	s.from = from
	return nil
}

// Rcpt implements smtp.Session.
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}

// Data implements smtp.Session.
func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	m := Mail{At: time.Now().UTC(), From: s.from, To: slices.Clone(s.to)}
	if parsed, err := mail.ReadMessage(bytes.NewReader(raw)); err == nil {
		m.Subject, _ = new(mime.WordDecoder).DecodeHeader(parsed.Header.Get("Subject"))
		m.ID = parsed.Header.Get("Message-ID")
		var body io.Reader = parsed.Body
		if strings.EqualFold(parsed.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
			body = quotedprintable.NewReader(body)
		}
		text, _ := io.ReadAll(body)
		m.Body = string(text)
	}
	s.sink.keep(m)
	switch {
	case s.sink.faults.has(FaultMailThinks):
		time.Sleep(thinks)
	case s.sink.faults.has(FaultMailHangsUp):
		time.AfterFunc(20*time.Millisecond, func() { s.conn.Close() })
	}
	return nil
}

// thinks is how long a mail server takes to answer that thinks.
const thinks = 25 * time.Second

// Reset implements smtp.Session.
func (s *session) Reset() { s.from, s.to = "", nil }

// Logout implements smtp.Session.
func (s *session) Logout() error { return nil }

func (s *sink) keep(m Mail) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.mails = append(s.mails, m)
	if extra := len(s.mails) - keepMails; extra > 0 {
		s.mails = slices.Delete(s.mails, 0, extra)
	}
	if data, err := json.Marshal(s.mails); err == nil && s.file != "" {
		_ = os.WriteFile(s.file, data, 0o600)
	}
}

func (s *sink) list() []Mail {
	s.mu.Lock()
	defer s.mu.Unlock()
	newest := slices.Clone(s.mails)
	slices.Reverse(newest)
	return newest
}

func (s *sink) page(w http.ResponseWriter, r *http.Request) {
	if strings.Contains(r.Header.Get("Accept"), "application/json") {
		writeJSON(w, http.StatusOK, s.list())
		return
	}
	_ = pages.ExecuteTemplate(w, "mail.html", s.list())
}
