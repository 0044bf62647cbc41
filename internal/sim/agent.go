package sim

import (
	"context"
	"io"
	"log"
	"net"
	"net/netip"
	"time"

	"github.com/gosnmp/gosnmp"
	"golang.org/x/net/ipv4"
)

// maxAnswer keeps answers within one Ethernet frame, as real agents do.
const maxAnswer = 1400

// agents answers SNMP of all versions for all devices from one socket: the address that
// a request was sent to tells which device is meant.
type agents struct {
	community string
	user      SNMPUser // of version 3; without a name there is none
	find      func(netip.Addr) *Device
	conn      *ipv4.PacketConn
	raw       *net.UDPConn
	decoder   *gosnmp.GoSNMP
	now       func() time.Time
	greeted   *greetings // what was answered; may be nil
}

func listenAgents(port int, community string, user SNMPUser, find func(netip.Addr) *Device) (*agents, error) {
	raw, err := net.ListenUDP("udp4", &net.UDPAddr{Port: port})
	if err != nil {
		return nil, err
	}
	_ = raw.SetReadBuffer(4 << 20)
	conn := ipv4.NewPacketConn(raw)
	if err := conn.SetControlMessage(ipv4.FlagDst, true); err != nil {
		raw.Close()
		return nil, err
	}
	decoder := &gosnmp.GoSNMP{Version: gosnmp.Version2c, Logger: gosnmp.NewLogger(log.New(io.Discard, "", 0))}
	return &agents{community: community, user: user, find: find, conn: conn, raw: raw, decoder: decoder, now: time.Now}, nil
}

// serve answers until the context ends.
func (a *agents) serve(ctx context.Context) {
	context.AfterFunc(ctx, func() { a.raw.Close() })
	buf := make([]byte, 65536)
	for {
		n, cm, from, err := a.conn.ReadFrom(buf)
		if err != nil {
			if ctx.Err() != nil {
				return
			}
			continue
		}
		if cm == nil {
			continue
		}
		dst, _ := netip.AddrFromSlice(cm.Dst.To4())
		if d := a.find(dst); d != nil {
			a.handle(d, buf[:n], from, cm.Dst)
		}
	}
}

func (a *agents) handle(d *Device, request []byte, from net.Addr, src net.IP) {
	now := a.now()
	if !d.Answers(now) {
		return
	}
	answer := a.answered(d, request, now)
	if answer == nil {
		return
	}
	src = append(net.IP(nil), src...)
	send := func() { _, _ = a.conn.WriteTo(answer, &ipv4.ControlMessage{Src: src}, from) }
	if wait := d.RoundTrip(now); wait > 500*time.Microsecond {
		time.AfterFunc(wait, send)
		return
	}
	send()
}

// answered is what a device says to a message; nil for nothing.
func (a *agents) answered(d *Device, request []byte, now time.Time) []byte {
	reply := func(in *gosnmp.SnmpPacket) *gosnmp.SnmpPacket {
		out := d.reply(in, now)
		if out != nil && a.greeted != nil {
			a.greeted.note(d, in, now)
		}
		return out
	}
	if versionOf(request) == gosnmp.Version3 && a.user.Name != "" {
		return d.engine(a.user, now).Answer(request, reply)
	}
	packet, err := a.decoder.SnmpDecodePacket(request)
	if err != nil || packet.Version == gosnmp.Version3 || packet.Community != a.community {
		return nil
	}
	out := reply(packet)
	if out == nil {
		return nil
	}
	out.Version, out.Community = packet.Version, packet.Community
	data, err := out.MarshalMsg()
	if err != nil {
		return nil
	}
	return data
}

// versionOf is the version of a message, which stands first in it: SEQUENCE { INTEGER version, … }.
func versionOf(b []byte) gosnmp.SnmpVersion {
	head := 2
	if len(b) > 1 && b[1] > 0x80 {
		head += int(b[1] & 0x7f)
	}
	if len(b) < head+3 || b[head] != 2 || b[head+1] != 1 {
		return 0
	}
	return gosnmp.SnmpVersion(b[head+2])
}

// engine is that of the device, for version 3.
func (d *Device) engine(user SNMPUser, now time.Time) Engine {
	of := func(oid string) value {
		if o := d.tree.get("." + oid); o != nil {
			return o.read(now)
		}
		return value{}
	}
	return Engine{ID: of(engineID).text, User: user, Clock: func() (boots, seconds uint32) {
		return uint32(of(engineBoots).count), uint32(of(engineTime).count)
	}}
}

// reply makes the response to a request (RFC 3416 section 4.2); nil for what is none.
func (d *Device) reply(in *gosnmp.SnmpPacket, now time.Time) *gosnmp.SnmpPacket {
	if in.Version == gosnmp.Version1 {
		return d.first(in, now)
	}
	out := &gosnmp.SnmpPacket{PDUType: gosnmp.GetResponse, RequestID: in.RequestID}
	switch in.PDUType {
	case gosnmp.GetRequest:
		for _, v := range in.Variables {
			if o := d.tree.get(v.Name); o != nil {
				out.Variables = append(out.Variables, o.pdu(now))
			} else {
				out.Variables = append(out.Variables, gosnmp.SnmpPDU{Name: v.Name, Type: gosnmp.NoSuchObject})
			}
		}
	case gosnmp.GetNextRequest:
		for _, v := range in.Variables {
			pdu, _ := d.after(v.Name, now)
			out.Variables = append(out.Variables, pdu)
		}
	case gosnmp.GetBulkRequest:
		d.bulk(in, out, now)
	default:
		return nil
	}
	return out
}

// first makes the response to a request of version 1: all that is asked, or an error
// (RFC 1157 section 4.1). It has no counters of 64 bits, which are passed over (RFC 3584
// section 4.2.2.1).
func (d *Device) first(in *gosnmp.SnmpPacket, now time.Time) *gosnmp.SnmpPacket {
	out := &gosnmp.SnmpPacket{PDUType: gosnmp.GetResponse, RequestID: in.RequestID}
	for i, v := range in.Variables {
		var pdu gosnmp.SnmpPDU
		found := false
		switch o := d.tree.get(v.Name); in.PDUType {
		case gosnmp.GetRequest:
			if found = o != nil && o.kind != gosnmp.Counter64; found {
				pdu = o.pdu(now)
			}
		case gosnmp.GetNextRequest:
			pdu, found = d.after(v.Name, now)
			for found && pdu.Type == gosnmp.Counter64 {
				pdu, found = d.after(pdu.Name, now)
			}
		default:
			return nil
		}
		if !found {
			out.Error, out.ErrorIndex, out.Variables = gosnmp.NoSuchName, uint8(i+1), in.Variables
			return out
		}
		out.Variables = append(out.Variables, pdu)
	}
	return out
}

func (d *Device) after(name string, now time.Time) (gosnmp.SnmpPDU, bool) {
	i := d.tree.next(name)
	if i >= len(d.tree.objects) {
		return gosnmp.SnmpPDU{Name: name, Type: gosnmp.EndOfMibView}, false
	}
	return d.tree.objects[i].pdu(now), true
}

// bulk repeats GETNEXT over several columns; it ends early when the answer
// would outgrow a frame, as RFC 3416 section 4.2.3 allows.
func (d *Device) bulk(in, out *gosnmp.SnmpPacket, now time.Time) {
	fixed := min(int(in.NonRepeaters), len(in.Variables))
	for _, v := range in.Variables[:fixed] {
		pdu, _ := d.after(v.Name, now)
		out.Variables = append(out.Variables, pdu)
	}
	columns := in.Variables[fixed:]
	names := make([]string, len(columns))
	for i, v := range columns {
		names[i] = v.Name
	}
	size := 60
	for range in.MaxRepetitions {
		alive := false
		row := make([]gosnmp.SnmpPDU, 0, len(columns))
		for i := range columns {
			pdu, ok := d.after(names[i], now)
			names[i] = pdu.Name
			alive = alive || ok
			row = append(row, pdu)
			size += pduSize(pdu)
		}
		if size > maxAnswer && len(out.Variables) > fixed {
			break
		}
		out.Variables = append(out.Variables, row...)
		if !alive || len(columns) == 0 {
			break
		}
	}
}

// pduSize estimates the encoded size of a variable.
func pduSize(p gosnmp.SnmpPDU) int {
	size := 8 + len(p.Name)/2
	switch v := p.Value.(type) {
	case []byte:
		return size + len(v)
	case string:
		return size + len(v)/2
	}
	return size + 6
}
