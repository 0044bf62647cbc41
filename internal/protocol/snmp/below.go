package snmp

import (
	"context"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/mib"
)

// Below tells of each of some objects, at most maxOIDs, whether an agent has anything below it: by
// one GETNEXT for all of them, or, where version 1 knows only that one of them is the last, by one
// for each.
func (c *Client) Below(ctx context.Context, t Target, roots []string) ([]bool, error) {
	found := make([]bool, len(roots))
	answer, err := c.ask(ctx, t, &gosnmp.SnmpPacket{PDUType: gosnmp.GetNextRequest, Variables: names(roots)})
	switch {
	case err != nil:
		return nil, err
	case answer.Error == gosnmp.NoError && len(answer.Variables) == len(roots):
		for i, v := range answer.Variables {
			found[i] = isBelow(v, roots[i])
		}
		return found, nil
	case len(roots) == 1:
		return found, nil
	}
	for i, root := range roots {
		one, err := c.Below(ctx, t, []string{root})
		if err != nil {
			return nil, err
		}
		found[i] = one[0]
	}
	return found, nil
}

func isBelow(v gosnmp.SnmpPDU, root string) bool {
	name, err := mib.ParseOID(v.Name)
	under, wrong := mib.ParseOID(root)
	return err == nil && wrong == nil && !absent(v.Type) && name.Within(under) && len(name) > len(under)
}
