// Package desk talks to a ticket desk over its REST API.
package desk

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"tirelessowl/internal/domain"
)

// Patience is how long a desk may take to answer.
const Patience = 15 * time.Second

// maxBody is the longest answer that is read, in bytes.
const maxBody = 1 << 20

// Desk is a connected ticket system.
type Desk struct {
	URL   string
	Token domain.Secret
	// HTTP is how it is asked. It must follow nobody anywhere: the token is for the desk.
	HTTP *http.Client
}

// Ticket is what we write, and what comes back.
type Ticket struct {
	Kind      string `json:"kind"`
	Title     string `json:"title"`
	Body      string `json:"body"`
	Link      string `json:"link"`
	Label     string `json:"label"`
	Reference string `json:"reference"`
	Number    string `json:"number,omitempty"`
	State     string `json:"state,omitempty"`
	URL       string `json:"url,omitempty"`
}

// Error is an answer that is not what was asked for.
type Error struct {
	Status int
	Text   string
}

func (e *Error) Error() string { return fmt.Sprintf("the desk answers %d: %s", e.Status, e.Text) }

// Permanent tells whether trying again is useless: the desk refused the
// request itself. Sign-in problems are mended by people, so they are retried.
func (e *Error) Permanent() bool {
	return e.Status == http.StatusUnprocessableEntity || e.Status == http.StatusBadRequest
}

// Open makes the ticket of a reference, or returns the one that exists: it
// looks first, and sends the reference as the idempotency key.
func (d Desk) Open(ctx context.Context, t Ticket) (Ticket, error) {
	var found []Ticket
	if err := d.call(ctx, http.MethodGet, "/api/tickets?reference="+url.QueryEscape(t.Reference), "", nil, &found); err != nil {
		return Ticket{}, err
	}
	if len(found) > 0 && found[0].Number != "" {
		return found[0], nil
	}
	var made Ticket
	if err := d.call(ctx, http.MethodPost, "/api/tickets", t.Reference, t, &made); err != nil {
		return Ticket{}, err
	}
	if made.Number == "" {
		return Ticket{}, &Error{http.StatusOK, "there is no ticket number in the answer"}
	}
	return made, nil
}

// Note appends to a ticket, once for each key, and returns the ticket as it
// stands then.
func (d Desk) Note(ctx context.Context, number, key, text string) (Ticket, error) {
	var after Ticket
	err := d.call(ctx, http.MethodPost, "/api/tickets/"+url.PathEscape(number)+"/notes", key, map[string]string{"text": text}, &after)
	return after, err
}

// Check tells whether the desk can be reached with the token.
func (d Desk) Check(ctx context.Context) error {
	var found []Ticket
	return d.call(ctx, http.MethodGet, "/api/tickets?reference=none", "", nil, &found)
}

func (d Desk) call(ctx context.Context, method, path, key string, in, out any) error {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(d.URL, "/")+path, body)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+d.Token.Reveal())
	req.Header.Set("Content-Type", "application/json")
	if key != "" {
		req.Header.Set("Idempotency-Key", key)
	}
	res, err := d.HTTP.Do(req)
	if err != nil {
		return fmt.Errorf("the desk cannot be reached: %w", err)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(io.LimitReader(res.Body, maxBody))
	if err != nil {
		return fmt.Errorf("the desk's answer broke off: %w", err)
	}
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return &Error{res.StatusCode, reason(data)}
	}
	if err := json.Unmarshal(data, out); err != nil {
		return &Error{res.StatusCode, "the answer is not JSON: " + short(data)}
	}
	return nil
}

func reason(data []byte) string {
	var p struct{ Detail, Title string }
	if json.Unmarshal(data, &p) == nil && p.Detail+p.Title != "" {
		return strings.TrimSpace(p.Title + " " + p.Detail)
	}
	return short(data)
}

func short(data []byte) string {
	text := strings.Join(strings.Fields(string(data)), " ")
	if len(text) > 120 {
		text = text[:120] + "…"
	}
	return text
}
