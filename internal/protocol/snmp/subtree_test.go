package snmp

import (
	"fmt"
	"testing"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/mib"
)

// shelf is an agent with some variables in order, of which one answer holds a few.
type shelf struct {
	vars    []gosnmp.SnmpPDU
	fits    int // variables for which one answer has room
	tooBig  int // how often it said that they do not fit
	most    int // the most repetitions that were asked for
	widest  int // the most names that were asked for at once
	version gosnmp.SnmpVersion
}

func (s *shelf) answer(_ int, req *gosnmp.SnmpPacket) [][]byte {
	s.widest = max(s.widest, len(req.Variables))
	times := 1
	if req.PDUType == gosnmp.GetBulkRequest {
		times = int(req.MaxRepetitions)
		s.most = max(s.most, times)
	}
	var out []gosnmp.SnmpPDU
	next := make([]string, len(req.Variables))
	for i, v := range req.Variables {
		next[i] = v.Name
	}
	for n := range times {
		for i := range next {
			if n > 0 && i < int(req.NonRepeaters) {
				continue
			}
			v := s.after(next[i])
			if req.PDUType == gosnmp.GetRequest {
				v = s.at(next[i])
			}
			next[i] = v.Name
			out = append(out, v)
		}
	}
	if s.fits > 0 && len(out) > s.fits {
		s.tooBig++
		return [][]byte{refusal(req, gosnmp.TooBig, 0)}
	}
	if s.version == gosnmp.Version1 && out[0].Type == gosnmp.EndOfMibView {
		return [][]byte{refusal(req, gosnmp.NoSuchName, 1)}
	}
	return [][]byte{reply(req, out...)}
}

func (s *shelf) after(name string) gosnmp.SnmpPDU {
	from, _ := mib.ParseOID(name)
	for _, v := range s.vars {
		if at, _ := mib.ParseOID(v.Name); at.Compare(from) > 0 {
			return v
		}
	}
	return gosnmp.SnmpPDU{Name: name, Type: gosnmp.EndOfMibView}
}

func (s *shelf) at(name string) gosnmp.SnmpPDU {
	for _, v := range s.vars {
		if v.Name == name {
			return v
		}
	}
	return gosnmp.SnmpPDU{Name: name, Type: gosnmp.NoSuchInstance}
}

func refusal(req *gosnmp.SnmpPacket, e gosnmp.SNMPError, index uint8) []byte {
	p := gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: "c", PDUType: gosnmp.GetResponse, RequestID: req.RequestID,
		Error: e, ErrorIndex: index, Variables: req.Variables}
	out, err := p.MarshalMsg()
	if err != nil {
		panic(err)
	}
	return out
}

// table is a table of so many columns and rows at 1.3.9.1, and one variable behind it.
func table(columns, rows int) (out []gosnmp.SnmpPDU) {
	for c := 1; c <= columns; c++ {
		for r := 1; r <= rows; r++ {
			out = append(out, integer(fmt.Sprintf(".1.3.9.1.%d.%d", c, r), 100*c+r))
		}
	}
	return append(out, integer(".1.3.10.0", 1))
}

func at(t *testing.T, text string) mib.OID {
	t.Helper()
	oid, err := mib.ParseOID(text)
	require.NoError(t, err)
	return oid
}

func TestASubtreeIsReadInPieces(t *testing.T) {
	s := &shelf{vars: table(3, 100)}
	target, c := peer(t, s.answer), client(t)
	var all []mib.Variable
	var after mib.OID
	for range 10 {
		piece, err := c.Subtree(t.Context(), target, at(t, "1.3.9"), after, 150)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(piece.Variables), 150)
		all = append(all, piece.Variables...)
		if piece.Ended {
			break
		}
		after = all[len(all)-1].OID
	}
	require.Len(t, all, 300, "and nothing of what is behind it")
	assert.Equal(t, "1.3.9.1.1.1", all[0].OID.String())
	assert.Equal(t, int64(101), all[0].Value.Int)
	assert.Equal(t, "1.3.9.1.3.100", all[299].OID.String())
	assert.Equal(t, variablesPerAnswer, s.most, "answers grow after the first")
}

// An instance that is named in full has nothing below it, and is told itself.
func TestAnInstanceIsReadItself(t *testing.T) {
	s := &shelf{vars: table(1, 2)}
	target, c := peer(t, s.answer), client(t)
	piece, err := c.Subtree(t.Context(), target, at(t, "1.3.9.1.1.2"), nil, 80)
	require.NoError(t, err)
	require.Len(t, piece.Variables, 1)
	assert.Equal(t, int64(102), piece.Variables[0].Value.Int)
	piece, err = c.Subtree(t.Context(), target, at(t, "1"), nil, 80)
	require.NoError(t, err)
	assert.Len(t, piece.Variables, 3, "all that there is")
	piece, err = c.Subtree(t.Context(), target, at(t, "1.3.8"), nil, 80)
	require.NoError(t, err)
	assert.Empty(t, piece.Variables)
	assert.True(t, piece.Ended)
}

func TestASubtreeOfVersion1(t *testing.T) {
	s := &shelf{vars: table(2, 3)[:6], version: gosnmp.Version1}
	target, c := peer(t, s.answer), client(t)
	target.First = true
	piece, err := c.Subtree(t.Context(), target, at(t, "1.3.9"), nil, 80)
	require.NoError(t, err)
	assert.Len(t, piece.Variables, 6)
	assert.True(t, piece.Ended)
	assert.Zero(t, s.most, "version 1 has no bulk")
}

// What does not fit into an answer is asked for in smaller pieces (RFC 3416, section 4.2.3).
func TestAWalkAsksForLessWhereTheAnswerIsTooBig(t *testing.T) {
	s := &shelf{vars: table(3, 40), fits: 5}
	target, c := peer(t, s.answer), client(t)
	piece, err := c.Subtree(t.Context(), target, at(t, "1.3.9"), nil, 500)
	require.NoError(t, err)
	assert.Len(t, piece.Variables, 120)
	assert.Positive(t, s.tooBig)

	for _, fits := range []int{7, 4, 2} { // rows together, columns together with the uptime, one column
		s := &shelf{vars: table(3, 40), fits: fits}
		got, err := c.Walk(t.Context(), peer(t, s.answer), []string{"1.3.9.1.1", "1.3.9.1.2", "1.3.9.1.3"})
		require.NoError(t, err, fits)
		require.Len(t, got.Rows, 40)
		for _, row := range got.Rows {
			assert.Len(t, row.Values, 3)
			assert.Equal(t, row.Values[0].Num+200, row.Values[2].Num)
		}
	}
	_, err = c.Walk(t.Context(), peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		return [][]byte{refusal(req, gosnmp.TooBig, 0)}
	}), []string{"1.3.9.1.1", "1.3.9.1.2"})
	assert.ErrorContains(t, err, "TooBig", "an agent to which everything is too big comes to an end")
}

func TestHostileSubtrees(t *testing.T) {
	c := client(t)
	read := func(answers ...gosnmp.SnmpPDU) (Piece, error) {
		return c.Subtree(t.Context(), peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
			return [][]byte{reply(req, answers...)}
		}), at(t, "1.3.9"), nil, 1000)
	}
	piece, err := read(integer(".1.3.9.1", 1), integer(".1.3.9.1", 1))
	assert.ErrorIs(t, err, ErrNotIncreasing)
	assert.Len(t, piece.Variables, 1, "what was read before is told")
	_, err = read(integer(".1.3.9.2", 1))
	assert.ErrorIs(t, err, ErrNotIncreasing, "the same answer again and again")
	_, err = read()
	assert.ErrorContains(t, err, "empty")
	piece, err = read(integer(".1.3.9.1", 1), integer(".1.4.1", 1))
	assert.NoError(t, err)
	assert.True(t, piece.Ended)
}

// The types are those of RFC 2578, section 7.1; floats stand in opaque ones.
func TestRawValuesKeepTheirTypes(t *testing.T) {
	for _, c := range []struct {
		in   gosnmp.SnmpPDU
		want mib.Value
	}{
		{gosnmp.SnmpPDU{Type: gosnmp.Integer, Value: -5}, mib.Value{Type: mib.Integer, Int: -5}},
		{gosnmp.SnmpPDU{Type: gosnmp.Counter64, Value: uint64(1) << 63}, mib.Value{Type: mib.Counter64, Count: 1 << 63}},
		{gosnmp.SnmpPDU{Type: gosnmp.Counter32, Value: uint(7)}, mib.Value{Type: mib.Counter32, Count: 7}},
		{gosnmp.SnmpPDU{Type: gosnmp.TimeTicks, Value: uint32(9)}, mib.Value{Type: mib.TimeTicks, Count: 9}},
		{gosnmp.SnmpPDU{Type: gosnmp.Gauge32, Value: uint(3)}, mib.Value{Type: mib.Unsigned, Count: 3}},
		{gosnmp.SnmpPDU{Type: gosnmp.OctetString, Value: []byte{0, 1}}, mib.Value{Type: mib.Octets, Bytes: []byte{0, 1}}},
		{gosnmp.SnmpPDU{Type: gosnmp.Opaque, Value: []byte{9}}, mib.Value{Type: mib.Opaque, Bytes: []byte{9}}},
		{gosnmp.SnmpPDU{Type: gosnmp.OpaqueFloat, Value: float32(1.5)}, mib.Value{Type: mib.Float, Real: 1.5}},
		{gosnmp.SnmpPDU{Type: gosnmp.OpaqueDouble, Value: 2.5}, mib.Value{Type: mib.Float, Real: 2.5}},
		{gosnmp.SnmpPDU{Type: gosnmp.ObjectIdentifier, Value: ".1.3.6"}, mib.Value{Type: mib.Name, OID: mib.OID{1, 3, 6}}},
		{gosnmp.SnmpPDU{Type: gosnmp.IPAddress, Value: "192.0.2.1"}, mib.Value{Type: mib.Address, Bytes: []byte{192, 0, 2, 1}}},
		{gosnmp.SnmpPDU{Type: gosnmp.IPAddress, Value: "none"}, mib.Value{Type: mib.Other}},
		{gosnmp.SnmpPDU{Type: gosnmp.Null}, mib.Value{Type: mib.Other}},
	} {
		assert.Equal(t, c.want, Raw(c.in), c.in.Type)
	}
	assert.Equal(t, 1.5, valueOf(gosnmp.SnmpPDU{Type: gosnmp.OpaqueFloat, Value: float32(1.5)}).Num)
}
