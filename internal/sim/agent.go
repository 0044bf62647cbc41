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

// agents answers SNMP v2c for all devices from one socket: the address that
// a request was sent to tells which device is meant.
type agents struct {
	community string
	find      func(netip.Addr) *Device
	conn      *ipv4.PacketConn
	raw       *net.UDPConn
	decoder   *gosnmp.GoSNMP
	now       func() time.Time
	greeted   *greetings // what was answered; may be nil
}

func listenAgents(port int, community string, find func(netip.Addr) *Device) (*agents, error) {
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
	return &agents{community: community, find: find, conn: conn, raw: raw, decoder: decoder, now: time.Now}, nil
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
	packet, err := a.decoder.SnmpDecodePacket(request)
	if err != nil || packet.Version != gosnmp.Version2c || packet.Community != a.community {
		return
	}
	answer, ok := d.answer(packet, now)
	if !ok {
		return
	}
	if a.greeted != nil {
		a.greeted.note(d, packet, now)
	}
	src = append(net.IP(nil), src...)
	send := func() { _, _ = a.conn.WriteTo(answer, &ipv4.ControlMessage{Src: src}, from) }
	if wait := d.RoundTrip(now); wait > 500*time.Microsecond {
		time.AfterFunc(wait, send)
		return
	}
	send()
}

// answer makes the response to a request, by RFC 3416 section 4.2.
func (d *Device) answer(in *gosnmp.SnmpPacket, now time.Time) ([]byte, bool) {
	out := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: in.Community, PDUType: gosnmp.GetResponse, RequestID: in.RequestID}
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
		return d.bulk(in, out, now)
	default:
		return nil, false
	}
	data, err := out.MarshalMsg()
	return data, err == nil
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
func (d *Device) bulk(in, out *gosnmp.SnmpPacket, now time.Time) ([]byte, bool) {
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
	data, err := out.MarshalMsg()
	return data, err == nil
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
