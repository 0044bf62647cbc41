package snmp

import "errors"

var errNotSNMP = errors.New("not an SNMP message")

// peekID reads the id of a message without decoding the rest, so that one reader can hand
// messages to many waiters: the request id of versions 1 and 2c, the message id of version 3.
//
//	SEQUENCE { INTEGER version, OCTET STRING community, [n] PDU { INTEGER request-id, … } }
//	SEQUENCE { INTEGER version, SEQUENCE { INTEGER message-id, … }, … }
func peekID(b []byte) (uint32, error) {
	body := reading(b).inside(tagSequence)
	if version := body.number(); version == version3 {
		head := body.inside(tagSequence)
		return head.number(), head.err
	}
	body.next(tagOctets)
	if body.err != nil || len(body.rest) == 0 || body.rest[0]&0xe0 != 0xa0 {
		return 0, errNotSNMP
	}
	pdu := body.inside(body.rest[0])
	return pdu.number(), pdu.err
}

// element takes one BER element with the given tag off the front; it returns
// its contents and what follows.
func element(b []byte, tag byte) (contents, rest []byte, err error) {
	if len(b) < 2 || b[0] != tag {
		return nil, nil, errNotSNMP
	}
	n, head := int(b[1]), 2
	if n >= 0x80 {
		size := n & 0x7f
		if size == 0 || size > 3 || len(b) < 2+size {
			return nil, nil, errNotSNMP
		}
		n, head = 0, 2+size
		for _, x := range b[2:head] {
			n = n<<8 | int(x)
		}
	}
	if len(b) < head+n {
		return nil, nil, errNotSNMP
	}
	return b[head : head+n], b[head+n:], nil
}
