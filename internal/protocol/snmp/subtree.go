package snmp

import (
	"context"
	"fmt"
	"net/netip"
	"slices"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/mib"
)

// Piece is a part of a walk: what was read, and whether the walk has ended with it.
type Piece struct {
	Variables []mib.Variable
	Ended     bool
}

// repetitionsAtFirst is how much the first answer of a piece brings, so that something is seen
// soon; each further one may bring more.
const repetitionsAtFirst = 16

// Subtree reads what an agent has below an object and after a name, which may be none, up to
// so many variables. What was read before an error is returned with it.
func (c *Client) Subtree(ctx context.Context, t Target, root, after mib.OID, most int) (Piece, error) {
	s := subtree{root: root, after: after, most: most, repetitions: repetitionsAtFirst}
	if after == nil {
		s.after = root
	}
	if len(s.after) == 1 { // no name on the wire has less than two numbers (X.690, section 8.19.4)
		s.after = append(slices.Clone(s.after), 0)
	}
	for !s.piece.Ended && len(s.piece.Variables) < most {
		answer, err := c.ask(ctx, t, s.request(t.First))
		if err != nil {
			return s.piece, err
		}
		if err := s.take(answer); err != nil {
			return s.piece, err
		}
	}
	if len(s.piece.Variables) == 0 && after == nil && len(root) > 1 {
		return c.itself(ctx, t, root)
	}
	return s.piece, nil
}

// itself asks for an instance that was named in full: nothing is below it.
func (c *Client) itself(ctx context.Context, t Target, name mib.OID) (Piece, error) {
	answer, err := c.ask(ctx, t, &gosnmp.SnmpPacket{PDUType: gosnmp.GetRequest, Variables: names([]string{name.String()})})
	if err != nil || answer.Error == gosnmp.NoSuchName || len(answer.Variables) != 1 || absent(answer.Variables[0].Type) {
		return Piece{Ended: true}, err
	}
	return Piece{[]mib.Variable{{OID: name, Value: Raw(answer.Variables[0])}}, true}, status(answer)
}

type subtree struct {
	root, after mib.OID
	most        int
	repetitions int
	piece       Piece
}

func (s *subtree) request(one bool) *gosnmp.SnmpPacket {
	p := &gosnmp.SnmpPacket{PDUType: gosnmp.GetBulkRequest, Variables: names([]string{s.after.String()})}
	if one {
		p.PDUType = gosnmp.GetNextRequest
		return p
	}
	p.MaxRepetitions = uint32(min(s.repetitions, s.most-len(s.piece.Variables)))
	return p
}

func (s *subtree) take(answer *gosnmp.SnmpPacket) error {
	switch {
	case answer.Error == gosnmp.NoSuchName: // so version 1 ends (RFC 1157, section 4.1.3)
		s.piece.Ended = true
		return nil
	case answer.Error == gosnmp.TooBig && s.repetitions > 1:
		s.repetitions /= 2
		return nil
	}
	if err := status(answer); err != nil {
		return err
	}
	if len(answer.Variables) == 0 {
		return errEmpty
	}
	for _, v := range answer.Variables {
		if err := s.one(v); err != nil || s.piece.Ended || len(s.piece.Variables) == s.most {
			return err
		}
	}
	s.repetitions = min(2*s.repetitions, variablesPerAnswer)
	return nil
}

func (s *subtree) one(v gosnmp.SnmpPDU) error {
	if absent(v.Type) {
		s.piece.Ended = true
		return nil
	}
	name, err := mib.ParseOID(v.Name)
	if err != nil {
		return fmt.Errorf("the agent's answer to a walk: %w", err)
	}
	if name.Compare(s.after) <= 0 {
		return ErrNotIncreasing
	}
	if !name.Within(s.root) {
		s.piece.Ended = true
		return nil
	}
	s.after = name
	s.piece.Variables = append(s.piece.Variables, mib.Variable{OID: name, Value: Raw(v)})
	return nil
}

// absent are the types that say that there is nothing (RFC 3416, section 2.3).
func absent(t gosnmp.Asn1BER) bool {
	return t == gosnmp.EndOfMibView || t == gosnmp.NoSuchObject || t == gosnmp.NoSuchInstance || t == gosnmp.Null
}

// Raw takes a variable as it came, with its type on the wire.
func Raw(v gosnmp.SnmpPDU) mib.Value {
	counted := map[gosnmp.Asn1BER]mib.Type{gosnmp.Counter32: mib.Counter32, gosnmp.Counter64: mib.Counter64,
		gosnmp.Gauge32: mib.Unsigned, gosnmp.Uinteger32: mib.Unsigned, gosnmp.TimeTicks: mib.TimeTicks}
	if kind, ok := counted[v.Type]; ok {
		return mib.Value{Type: kind, Count: gosnmp.ToBigInt(v.Value).Uint64()}
	}
	switch value := v.Value.(type) {
	case int:
		return mib.Value{Type: mib.Integer, Int: int64(value)}
	case float32:
		return mib.Value{Type: mib.Float, Real: float64(value)}
	case float64:
		return mib.Value{Type: mib.Float, Real: value}
	case []byte:
		if v.Type == gosnmp.Opaque {
			return mib.Value{Type: mib.Opaque, Bytes: value}
		}
		return mib.Value{Type: mib.Octets, Bytes: value}
	case string:
		return named(v.Type, value)
	}
	return mib.Value{Type: mib.Other}
}

func named(kind gosnmp.Asn1BER, text string) mib.Value {
	if kind == gosnmp.IPAddress {
		if a, err := netip.ParseAddr(text); err == nil {
			return mib.Value{Type: mib.Address, Bytes: a.AsSlice()}
		}
	}
	if oid, err := mib.ParseOID(text); err == nil && kind == gosnmp.ObjectIdentifier {
		return mib.Value{Type: mib.Name, OID: oid}
	}
	return mib.Value{Type: mib.Other}
}
