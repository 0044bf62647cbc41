// Package tcp is the way to collect from a TCP port: whether it accepts
// connections, how fast, and whether it answers with an expected text.
package tcp

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/tcp"
	"tirelessowl/internal/protocol/ways"
)

// Way describes TCP ports.
var Way = ways.Way{
	Way: way.Way{
		Name:     "tcp",
		Title:    "TCP port",
		About:    "Opens a TCP connection and closes it; on request says something, and expects a text in the answer.",
		Endpoint: []field.Field{field.Port("TCP port", "")},
		Ask: []field.Field{
			{Name: "port", Label: "Port", Help: "empty for the port of the endpoint", Kind: field.Whole, Low: 1, High: field.LastPort},
			{Name: "count", Label: "Connections in a round", Kind: field.Whole, Default: "3", Low: 1, High: 10},
			{Name: "timeout", Label: "Wait for each", Kind: field.Duration, Default: "1500ms", Low: 0.05, High: 60},
			{Name: "send", Label: "Say", Help: `a line to send after connecting; \r and \n are understood`, Kind: field.Text},
			{Name: "expect", Label: "Expect", Help: "a text that must be in the answer", Kind: field.Text},
		},
		Columns:  func(way.Settings) []way.Column { return append(ways.ProbeColumns[:2:2], way.Column{As: "answer"}) },
		Requests: func(ask way.Settings, _ int) float64 { return float64(max(1, ask.Int("count"))) },
		Words:    words,
		Facts:    map[string]string{"answers:tcp": "an open TCP port"},
	},
	Ask: ask,
}

func words(ask way.Settings, _ []way.Column) string {
	text := fmt.Sprintf("A probe of %d TCP connections measures the time to connect and the share that fails", ask.Int("count"))
	if ask["expect"] != "" {
		text += fmt.Sprintf("; each must answer with “%s”", ask["expect"])
	}
	return text
}

func ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	port := q.Ask["port"]
	if port == "" {
		port = q.Endpoint["port"]
	}
	at, err := q.At(port)
	if err != nil {
		return derive.Fetched{}, err
	}
	talk := tcp.Talk{Send: way.Unescaped(q.Ask["send"]), Expect: q.Ask["expect"]}
	var answer string
	row, err := ways.Probe(ctx, q.Ask.Int("count"), func(ctx context.Context) (took time.Duration, err error) {
		q.Exchange.Sent(time.Now(), "connect to %s", at)
		if talk.Send != "" {
			q.Exchange.Sent(time.Now(), "say %q", talk.Send)
		}
		took, answer, err = tcp.Ask(ctx, at, q.Ask.Duration("timeout"), talk)
		if err == nil {
			q.Exchange.Got(time.Now(), "connected in %s, answer %q", took, answer)
		}
		return took, err
	})
	said := derive.Value{}
	if answer != "" {
		said = derive.Value{Kind: derive.Text, Text: answer}
	}
	row.Values = append(row.Values, said)
	return derive.Fetched{Rows: []derive.Row{row}}, kindOf(err)
}

// kindOf tells the kinds of failure apart.
func kindOf(err error) error {
	switch {
	case errors.Is(err, tcp.ErrRefused):
		return ways.Fail(derive.Refused, err)
	case errors.Is(err, tcp.ErrNoWay):
		return ways.Fail(derive.NoWay, err)
	case errors.Is(err, tcp.ErrSilent):
		return ways.Fail(derive.Silent, err)
	}
	return err
}
