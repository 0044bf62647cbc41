package snmp

import (
	"context"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/derive"
)

// maxOIDs is how many objects one GET asks for.
const maxOIDs = 40

// Get asks for single objects. The result has one value for each object, in
// order; what the device does not have is Missing.
func (c *Client) Get(ctx context.Context, t Target, oids []string) ([]derive.Value, error) {
	values := make([]derive.Value, 0, len(oids))
	for len(oids) > 0 {
		n := min(len(oids), maxOIDs)
		part, err := c.getSome(ctx, t, oids[:n])
		if err != nil {
			return nil, err
		}
		values, oids = append(values, part...), oids[n:]
	}
	return values, nil
}

func (c *Client) getSome(ctx context.Context, t Target, oids []string) ([]derive.Value, error) {
	p := &gosnmp.SnmpPacket{PDUType: gosnmp.GetRequest, Variables: names(oids)}
	answer, err := c.ask(ctx, t, p)
	if err != nil {
		return nil, err
	}
	if answer.Error == gosnmp.TooBig && len(oids) > 1 {
		return c.halves(ctx, t, oids)
	}
	if i := int(answer.ErrorIndex) - 1; answer.Error == gosnmp.NoSuchName && i >= 0 && i < len(oids) {
		return c.without(ctx, t, oids, i)
	}
	if err := status(answer); err != nil {
		return nil, err
	}
	if len(answer.Variables) != len(oids) {
		return nil, fmt.Errorf("asked for %d objects, the answer has %d", len(oids), len(answer.Variables))
	}
	values := make([]derive.Value, len(oids))
	for i, v := range answer.Variables {
		values[i] = valueOf(v)
	}
	return values, nil
}

func (c *Client) halves(ctx context.Context, t Target, oids []string) ([]derive.Value, error) {
	a, err := c.getSome(ctx, t, oids[:len(oids)/2])
	if err != nil {
		return nil, err
	}
	b, err := c.getSome(ctx, t, oids[len(oids)/2:])
	return append(a, b...), err
}

// without asks again for all but one, which the agent does not have: in version 1 it answers
// nothing then (RFC 1157 section 4.1.2).
func (c *Client) without(ctx context.Context, t Target, oids []string, i int) ([]derive.Value, error) {
	rest := slices.Delete(slices.Clone(oids), i, i+1)
	if len(rest) == 0 {
		return []derive.Value{{}}, nil
	}
	values, err := c.getSome(ctx, t, rest)
	if err != nil {
		return nil, err
	}
	return slices.Insert(values, i, derive.Value{}), nil
}

func names(oids []string) []gosnmp.SnmpPDU {
	vars := make([]gosnmp.SnmpPDU, len(oids))
	for i, oid := range oids {
		vars[i] = gosnmp.SnmpPDU{Name: "." + strings.TrimPrefix(oid, "."), Type: gosnmp.Null}
	}
	return vars
}

// status turns the error status of an answer (RFC 3416) into an error.
func status(p *gosnmp.SnmpPacket) error {
	if p.Error == gosnmp.NoError {
		return nil
	}
	if p.Error == gosnmp.AuthorizationError {
		return fmt.Errorf("%w: it lets this user see nothing of it with this protection (authorization error)", ErrDenied)
	}
	return fmt.Errorf("the agent answers with the error %s (%d) at object %d", p.Error, uint8(p.Error), p.ErrorIndex)
}

// valueOf takes a variable as the product sees it.
func valueOf(v gosnmp.SnmpPDU) derive.Value {
	switch v.Type {
	case gosnmp.Counter32:
		return derive.Value{Kind: derive.Counter32, Count: gosnmp.ToBigInt(v.Value).Uint64() & 0xffffffff}
	case gosnmp.Counter64:
		return derive.Value{Kind: derive.Counter64, Count: gosnmp.ToBigInt(v.Value).Uint64()}
	case gosnmp.Integer:
		if n, ok := v.Value.(int); ok {
			return derive.Value{Kind: derive.Gauge, Num: float64(n)}
		}
	case gosnmp.Gauge32, gosnmp.TimeTicks, gosnmp.Uinteger32:
		return derive.Value{Kind: derive.Gauge, Num: float64(gosnmp.ToBigInt(v.Value).Uint64())}
	case gosnmp.OpaqueFloat, gosnmp.OpaqueDouble:
		if n, ok := Raw(v).Number(); ok {
			return derive.Value{Kind: derive.Gauge, Num: n}
		}
	case gosnmp.OctetString:
		if b, ok := v.Value.([]byte); ok {
			return derive.Value{Kind: derive.Text, Text: octets(b)}
		}
	case gosnmp.ObjectIdentifier, gosnmp.IPAddress:
		if s, ok := v.Value.(string); ok {
			return derive.Value{Kind: derive.Text, Text: strings.TrimPrefix(s, ".")}
		}
	}
	return derive.Value{}
}

// octets shows bytes as text where they are text, else as hexadecimal.
func octets(b []byte) string {
	s := strings.TrimRight(string(b), "\x00")
	if utf8.ValidString(s) && strings.IndexFunc(s, func(r rune) bool { return unicode.IsControl(r) && !unicode.IsSpace(r) }) < 0 {
		return s
	}
	return hex.EncodeToString(b)
}
