// Package channels carries out what kinds of channels describe: each kind is
// a folder below this one that hands over one described value.
package channels

import (
	"context"
	"errors"
	"fmt"

	"tirelessowl/internal/core/channel"
)

// Kind is a kind of channel with what carries it out.
type Kind struct {
	channel.Kind
	// Send delivers one message. It must be safe to repeat: a message with the
	// same key is the same message. An error marked with Permanent tells that
	// trying again is useless.
	Send func(ctx context.Context, at channel.Opened, m channel.Message) (channel.Receipt, error)
	// Try tells whether the channel works, with a message to a recipient where
	// it has recipients, and how it went.
	Try func(ctx context.Context, at channel.Opened, to string) (outcome string, err error)
}

// permanent is an error that another attempt will not mend.
type permanent struct{ error }

func (p permanent) Unwrap() error { return p.error }

// Permanent marks an error that another attempt will not mend; nil stays nil.
func Permanent(err error) error {
	if err == nil {
		return nil
	}
	return permanent{err}
}

// IsPermanent tells whether another attempt is useless.
func IsPermanent(err error) bool {
	var p permanent
	return errors.As(err, &p)
}

// List is all kinds of channels that there are.
type List []Kind

// Described returns the descriptions of all kinds.
func (l List) Described() channel.Kinds {
	out := make(channel.Kinds, len(l))
	for i, k := range l {
		out[i] = k.Kind
	}
	return out
}

func (l List) of(kind string) (Kind, error) {
	for _, k := range l {
		if k.Name == kind {
			return k, nil
		}
	}
	return Kind{}, Permanent(fmt.Errorf("there is no kind of channel %q", kind))
}

// Send delivers one message by a channel of a kind.
func (l List) Send(ctx context.Context, kind string, at channel.Opened, m channel.Message) (r channel.Receipt, err error) {
	k, err := l.of(kind)
	if err != nil {
		return r, err
	}
	if !k.Takes(m.Kind) {
		return r, Permanent(fmt.Errorf("a channel of the kind %s cannot take a %s", kind, m.Kind))
	}
	defer recovered(kind, &err)
	return k.Send(ctx, at, m)
}

// Try tries a channel of a kind.
func (l List) Try(ctx context.Context, kind string, at channel.Opened, to string) (outcome string, err error) {
	k, err := l.of(kind)
	if err != nil {
		return "", err
	}
	defer recovered(kind, &err)
	return k.Try(ctx, at, to)
}

// recovered lets no kind take the others down with it.
func recovered(kind string, err *error) {
	if r := recover(); r != nil {
		*err = fmt.Errorf("the channel %s failed in itself: %v", kind, r)
	}
}
