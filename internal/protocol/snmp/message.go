package snmp

import "errors"

var errNotSNMP = errors.New("not an SNMP message")

// peekRequestID reads the request id of an SNMP v1 or v2c message without
// decoding the rest, so that one reader can hand messages to many waiters.
//
//	SEQUENCE { INTEGER version, OCTET STRING community, [n] PDU { INTEGER request-id, … } }
func peekRequestID(b []byte) (uint32, error) {
	body, _, err := element(b, 0x30)
	if err != nil {
		return 0, err
	}
	_, body, err = element(body, 0x02)
	if err != nil {
		return 0, err
	}
	_, body, err = element(body, 0x04)
	if err != nil {
		return 0, err
	}
	if len(body) == 0 || body[0]&0xe0 != 0xa0 {
		return 0, errNotSNMP
	}
	pdu, _, err := element(body, body[0])
	if err != nil {
		return 0, err
	}
	id, _, err := element(pdu, 0x02)
	if err != nil || len(id) == 0 || len(id) > 5 {
		return 0, errNotSNMP
	}
	var n uint32
	for _, x := range id {
		n = n<<8 | uint32(x)
	}
	return n, nil
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
