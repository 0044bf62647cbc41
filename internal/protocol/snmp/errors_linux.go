package snmp

import (
	"encoding/binary"
	"fmt"
	"net"
	"net/netip"
	"syscall"
)

// Options of ip(7) and ipv6(7) that package syscall does not name.
const (
	ipRecvErr   = 11
	ipv6RecvErr = 25
)

// wantErrors lets a socket tell which datagrams were refused, and by whom; see
// IP_RECVERR in ip(7).
func wantErrors(conn *net.UDPConn) error {
	raw, err := conn.SyscallConn()
	if err != nil {
		return err
	}
	level, option := syscall.IPPROTO_IP, ipRecvErr
	if isV6(conn) {
		level, option = syscall.IPPROTO_IPV6, ipv6RecvErr
	}
	var failed error
	if err := raw.Control(func(fd uintptr) { failed = syscall.SetsockoptInt(int(fd), level, option, 1) }); err != nil {
		return err
	}
	return failed
}

func isV6(conn *net.UDPConn) bool {
	at, err := netip.ParseAddrPort(conn.LocalAddr().String())
	return err == nil && at.Addr().Is6()
}

// takeErrors reads what a socket was told of its datagrams and passes it on to
// those who wait for them; false when there was nothing.
func (c *Client) takeErrors(conn *net.UDPConn) (some bool) {
	raw, err := conn.SyscallConn()
	if err != nil {
		return false
	}
	data, control := make([]byte, 1), make([]byte, 512)
	for {
		n, to := 0, syscall.Sockaddr(nil)
		failed := error(syscall.EAGAIN)
		err := raw.Control(func(fd uintptr) {
			_, n, _, to, failed = syscall.Recvmsg(int(fd), data, control, syscall.MSG_ERRQUEUE|syscall.MSG_DONTWAIT)
		})
		if err != nil || failed != nil {
			return some
		}
		some = true
		if at, ok := addressOf(to); ok {
			if err := told(control[:n], at); err != nil {
				c.fail(at, err)
			}
		}
	}
}

func addressOf(to syscall.Sockaddr) (netip.AddrPort, bool) {
	switch a := to.(type) {
	case *syscall.SockaddrInet4:
		return netip.AddrPortFrom(netip.AddrFrom4(a.Addr), uint16(a.Port)), true
	case *syscall.SockaddrInet6:
		return netip.AddrPortFrom(netip.AddrFrom16(a.Addr).Unmap(), uint16(a.Port)), true
	}
	return netip.AddrPort{}, false
}

// extendedErrSize is the size of struct sock_extended_err, see recvmsg(2): the
// error number, who says so, ICMP type and code.
const extendedErrSize = 16

// told puts what was told of a datagram into words; nil for what says nothing
// about the device.
func told(control []byte, at netip.AddrPort) error {
	messages, err := syscall.ParseSocketControlMessage(control)
	if err != nil {
		return nil
	}
	for _, m := range messages {
		ours := m.Header.Level == syscall.IPPROTO_IP && m.Header.Type == ipRecvErr ||
			m.Header.Level == syscall.IPPROTO_IPV6 && m.Header.Type == ipv6RecvErr
		if !ours || len(m.Data) < extendedErrSize {
			continue
		}
		switch syscall.Errno(binary.NativeEndian.Uint32(m.Data)) {
		case syscall.ECONNREFUSED:
			return fmt.Errorf("%w %d of %s: the machine is up, and says so", ErrRefused, at.Port(), at.Addr())
		case syscall.EHOSTUNREACH, syscall.ENETUNREACH:
			return fmt.Errorf("%w to %s, says somebody on it", ErrUnreachable, at.Addr())
		}
	}
	return nil
}
