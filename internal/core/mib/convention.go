package mib

// conventions are the textual conventions that the compact descriptions use (RFC 2579, 2863, 3411,
// 4001 and others), with the types on the wire as themselves.
var conventions = map[string]Object{
	"Integer32": {Syntax: Integer}, "Unsigned32": {Syntax: Unsigned}, "Gauge32": {Syntax: Unsigned}, "Counter32": {Syntax: Counter32},
	"Counter64": {Syntax: Counter64}, "TimeTicks": {Syntax: TimeTicks}, "OctetString": {Syntax: Octets}, "OID": {Syntax: Name},
	"IpAddress": {Syntax: Address, Size: 4}, "Bits": {Syntax: Bits},
	"DisplayString":        {Syntax: Octets, Hint: "255a"},
	"SnmpAdminString":      {Syntax: Octets, Hint: "255t"},
	"PhysAddress":          {Syntax: Octets, Hint: "1x:"},
	"MacAddress":           {Syntax: Octets, Hint: "1x:", Size: 6},
	"DateAndTime":          {Syntax: Octets, Hint: "2d-1d-1d,1d:1d:1d.1d,1a1d:1d"},
	"TimeStamp":            {Syntax: TimeTicks},
	"TruthValue":           {Syntax: Integer, Words: map[int64]string{1: "true", 2: "false"}},
	"InterfaceIndex":       {Syntax: Integer, Hint: "d"},
	"InterfaceIndexOrZero": {Syntax: Integer, Hint: "d"},
	"RowStatus": {Syntax: Integer, Words: map[int64]string{
		1: "active", 2: "notInService", 3: "notReady", 4: "createAndGo", 5: "createAndWait", 6: "destroy"}},
	"InetAddressType": {Syntax: Integer, Words: map[int64]string{
		0: "unknown", 1: "ipv4", 2: "ipv6", 3: "ipv4z", 4: "ipv6z", 16: "dns"}},
	"InetAddress":                {Syntax: Octets},
	"InetAddressIPv4":            {Syntax: Octets, Hint: "1d.1d.1d.1d", Size: 4},
	"InetAddressIPv6":            {Syntax: Octets, Hint: "2x:2x:2x:2x:2x:2x:2x:2x", Size: 16},
	"InetAddressPrefixLength":    {Syntax: Unsigned, Hint: "d"},
	"InetAutonomousSystemNumber": {Syntax: Unsigned, Hint: "d"},
	"InetVersion":                {Syntax: Integer, Words: map[int64]string{0: "unknown", 1: "ipv4", 2: "ipv6"}},
	"SnmpEngineID":               {Syntax: Octets},
	"SnmpMessageProcessingModel": {Syntax: Integer},
	"SnmpSecurityModel":          {Syntax: Integer},
	"SnmpSecurityLevel":          {Syntax: Integer, Words: map[int64]string{1: "noAuthNoPriv", 2: "authNoPriv", 3: "authPriv"}},
	"AutonomousType":             {Syntax: Name},
	"VariablePointer":            {Syntax: Name},
	"RowPointer":                 {Syntax: Name},
	"InstancePointer":            {Syntax: Name},
	"TestAndIncr":                {Syntax: Integer},
	"TimeInterval":               {Syntax: Integer},
	"TAddress":                   {Syntax: Octets},
	"TDomain":                    {Syntax: Name},
	"StorageType": {Syntax: Integer, Words: map[int64]string{
		1: "other", 2: "volatile", 3: "nonVolatile", 4: "permanent", 5: "readOnly"}},
	"PhysicalIndex":        {Syntax: Integer, Hint: "d"},
	"PhysicalIndexOrZero":  {Syntax: Integer, Hint: "d"},
	"EntitySensorDataType": {Syntax: Integer},
	"OwnerString":          {Syntax: Octets, Hint: "255a"},
	"CounterBasedGauge64":  {Syntax: Counter64},
	"ZeroBasedCounter32":   {Syntax: Unsigned},
	"ZeroBasedCounter64":   {Syntax: Counter64},
	"VlanId":               {Syntax: Integer, Hint: "d"},
	"KBytes":               {Syntax: Integer},
	"BridgeId":             {Syntax: Octets, Size: 8},
	"InetPortNumber":       {Syntax: Unsigned, Hint: "d"},
	"IANAifType":           {Syntax: Integer, Words: interfaceTypes},
}

// Convention returns a textual convention of the standards by its name, as an object without a
// place; ok is false where it is not known.
func Convention(name string) (o Object, ok bool) {
	o, ok = conventions[name]
	if ok && name != string(o.Syntax) {
		o.Convention = name
	}
	return o, ok
}

// interfaceTypes are those of the public registry of interface types that devices of today have.
var interfaceTypes = map[int64]string{
	1: "other", 6: "ethernetCsmacd", 18: "ds1", 20: "basicISDN", 22: "propPointToPointSerial", 23: "ppp", 24: "softwareLoopback",
	28: "slip", 30: "ds3", 32: "frameRelay", 37: "atm", 39: "sonet", 48: "modem", 53: "propVirtual", 56: "fibreChannel", 62: "fastEther",
	63: "isdn", 71: "ieee80211", 94: "adsl", 97: "vdsl", 108: "pppMultilinkBundle", 117: "gigabitEthernet", 127: "docsCableMaclayer",
	131: "tunnel", 135: "l2vlan", 136: "l3ipvlan", 142: "ipForward", 150: "mplsTunnel", 157: "propWirelessP2P", 161: "ieee8023adLag",
	166: "mpls", 169: "shdsl", 188: "radioMAC", 199: "infiniband", 209: "bridge", 230: "adsl2",
	237: "ieee80216WMAN", 238: "adsl2plus", 243: "wwanPP", 244: "wwanPP2", 246: "pip", 250: "gpon", 251: "vdsl2",
}
