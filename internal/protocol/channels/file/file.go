// Package file is the channel that appends messages to a file, one JSON object
// a line: for those who read them with tools of their own.
package file

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/channels"
)

// Kind describes this kind of channel, whose files all lie in one folder: a
// setting must never reach any other file of the machine.
func Kind(folder string) channels.Kind {
	f := files{folder}
	return channels.Kind{
		Kind: channel.Kind{
			Name:  "file",
			Title: "File",
			About: "Appends each message to a file of the application's folder, one JSON object a line (NDJSON).",
			Settings: []field.Field{
				{
					Name:     "name",
					Label:    "Name of the file",
					Kind:     field.Text,
					Required: true,
					Default:  "messages.ndjson",
					Help:     "a plain name, without folders",
					Check:    plainName,
				},
			},
			Carries: []domain.DeliveryKind{domain.DeliverMessage},
		},
		Send: f.send,
		Try: func(ctx context.Context, at channel.Opened, _ string) (string, error) {
			r, err := f.send(
				ctx,
				at,
				channel.Message{Key: "test", Subject: "Test of this channel", Body: "To see whether it can be written."},
			)
			return r.Outcome, err
		},
	}
}

func plainName(value string) string {
	if value != filepath.Base(value) || value[0] == '.' || len(value) > 100 {
		return "Must be a plain name without folders, such as messages.ndjson."
	}
	return ""
}

type files struct{ folder string }

// line is one message as it is written.
type line struct {
	At        time.Time `json:"at"`
	Key       string    `json:"key"`
	Reference string    `json:"reference,omitempty"`
	Level     string    `json:"level"`
	Subject   string    `json:"subject"`
	Body      string    `json:"body"`
}

func (f files) send(_ context.Context, at channel.Opened, m channel.Message) (channel.Receipt, error) {
	name := at.Settings["name"]
	if problem := (field.Field{Required: true, Check: plainName}).Problem(name); problem != "" {
		return channel.Receipt{}, channels.Permanent(fmt.Errorf("the file %q: %s", name, problem))
	}
	data, err := json.Marshal(line{time.Now().UTC(), m.Key, m.Reference, m.Level.String(), m.Subject, m.Body})
	if err != nil {
		return channel.Receipt{}, channels.Permanent(err)
	}
	if err := f.append(name, append(data, '\n')); err != nil {
		return channel.Receipt{}, err
	}
	return channel.Receipt{Outcome: "appended to " + name}, nil
}

func (f files) append(name string, data []byte) (err error) {
	if err := os.MkdirAll(f.folder, 0o750); err != nil {
		return err
	}
	// A link must not lead out of the folder.
	out, err := os.OpenFile(filepath.Join(f.folder, name), os.O_WRONLY|os.O_APPEND|os.O_CREATE|syscall.O_NOFOLLOW, 0o640)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	if _, err := out.Write(data); err != nil {
		return err
	}
	return out.Sync()
}
