package smi_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/mib/smi"
	"tirelessowl/objects"
)

// lamps is a module as makers write them, for a lamp on a pier.
const lamps = `-- Lamps of piers
LAMP-MIB DEFINITIONS ::= BEGIN
IMPORTS
    MODULE-IDENTITY, OBJECT-TYPE, NOTIFICATION-TYPE, Integer32, Gauge32, Counter64, enterprises
        FROM SNMPv2-SMI
    TEXTUAL-CONVENTION, DisplayString, TruthValue
        FROM SNMPv2-TC
    ifIndex, ifEntry
        FROM IF-MIB
    LampColour
        FROM COLOUR-TC;

lampMIB MODULE-IDENTITY
    LAST-UPDATED "202611010000Z"
    ORGANIZATION "Brackwater Networks"
    CONTACT-INFO "duty@brackwater.example"
    DESCRIPTION  "Lamps."
    ::= { enterprises 99999 7 }

Decivolt ::= TEXTUAL-CONVENTION
    DISPLAY-HINT "d-1"
    STATUS       current
    DESCRIPTION  "Tenths of a volt."
    SYNTAX       Integer32

lampObjects OBJECT IDENTIFIER ::= { lampMIB 1 }

lampCount OBJECT-TYPE
    SYNTAX      Gauge32
    UNITS       "lamps"
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "How many lamps
                 there are."
    ::= { lampObjects 1 }

lampTable OBJECT-TYPE
    SYNTAX      SEQUENCE OF LampEntry
    MAX-ACCESS  not-accessible
    STATUS      current
    DESCRIPTION "All lamps."
    ::= { lampObjects 2 }

lampEntry OBJECT-TYPE
    SYNTAX      LampEntry
    MAX-ACCESS  not-accessible
    STATUS      current
    DESCRIPTION "A lamp."
    INDEX       { ifIndex, IMPLIED lampName }
    ::= { lampTable 1 }

LampEntry ::= SEQUENCE {
    lampName    DisplayString,
    lampState   INTEGER,
    lampVoltage Decivolt,
    lampColour  LampColour,
    lampLit     TruthValue,
    lampKey     OCTET STRING
}

lampName OBJECT-TYPE
    SYNTAX      DisplayString (SIZE (1..32))
    MAX-ACCESS  not-accessible
    STATUS      current
    DESCRIPTION "Its name."
    ::= { lampEntry 1 }

lampState OBJECT-TYPE
    SYNTAX      INTEGER { off(0), on(1), broken(-1) }
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "What it does."
    ::= { lampEntry 2 }

lampVoltage OBJECT-TYPE
    SYNTAX      Decivolt
    UNITS       "Volts"
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "At the lamp."
    ::= { lampEntry 3 }

lampColour OBJECT-TYPE
    SYNTAX      LampColour
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "Its colour."
    ::= { lampEntry 4 }

lampLit OBJECT-TYPE
    SYNTAX      TruthValue
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "Whether it is lit."
    ::= { lampEntry 5 }

lampKey OBJECT-TYPE
    SYNTAX      OCTET STRING (SIZE (8))
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "Its key."
    ::= { lampEntry 6 }

lampMore OBJECT-TYPE
    SYNTAX      LampMore
    MAX-ACCESS  not-accessible
    STATUS      current
    DESCRIPTION "More of a lamp."
    AUGMENTS    { lampEntry }
    ::= { lampObjects 3 1 }

LampMore ::= SEQUENCE { lampHours Counter64 }

lampHours OBJECT-TYPE
    SYNTAX      Counter64
    MAX-ACCESS  read-only
    STATUS      current
    DESCRIPTION "Hours."
    ::= { lampMore 1 }

lampWentOut NOTIFICATION-TYPE
    OBJECTS     { lampState }
    STATUS      current
    DESCRIPTION "A lamp went out."
    ::= { lampMIB 0 1 }
END
`

const colours = `COLOUR-TC DEFINITIONS ::= BEGIN
IMPORTS TEXTUAL-CONVENTION FROM SNMPv2-TC;
LampColour ::= TEXTUAL-CONVENTION
    STATUS current
    DESCRIPTION "Colours."
    SYNTAX INTEGER { red(1), green(2) }
END
`

func shipped(t testing.TB) *mib.Tree {
	t.Helper()
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	return mib.NewTree(all)
}

func read(t *testing.T, texts ...string) (out []smi.Source) {
	t.Helper()
	for i, text := range texts {
		got, wrong := smi.Read(fmt.Sprint("file-", i, ".mib"), []byte(text))
		require.Empty(t, wrong)
		out = append(out, got...)
	}
	return out
}

func named(t *testing.T, m smi.Module, name string) mib.Object {
	t.Helper()
	for _, o := range m.Objects {
		if o.Name == name {
			return o
		}
	}
	t.Fatalf("%s is not among the objects of %s: %v", name, m.Name, m.Problems)
	return mib.Object{}
}

func TestAModuleIsRead(t *testing.T) {
	linked := smi.Link(read(t, lamps, colours), nil, shipped(t))
	require.Len(t, linked, 2)
	m := linked[0]
	assert.Empty(t, m.Missing)
	assert.Empty(t, m.Problems)
	count := named(t, m, "lampCount")
	assert.Equal(t, "1.3.6.1.4.1.99999.7.1.1", count.OID.String())
	assert.Equal(t, mib.Scalar, count.Kind)
	assert.Equal(t, "How many lamps there are.", count.About, "in one line")
	assert.Equal(t, "lamps", count.Unit)
	row := named(t, m, "lampEntry")
	assert.Equal(t, mib.Row, row.Kind)
	assert.Equal(t, []string{"ifIndex", "lampName"}, row.Index)
	assert.True(t, row.Implied)
	assert.False(t, row.Hidden)
	assert.Equal(t, mib.Table, named(t, m, "lampTable").Kind)
	name := named(t, m, "lampName")
	assert.True(t, name.Hidden)
	assert.Equal(t, mib.Column, name.Kind)
	assert.Equal(t, "DisplayString", name.Convention)
	assert.Zero(t, name.Size, "of 1 to 32 bytes")
	assert.Equal(t, map[int64]string{0: "off", 1: "on", -1: "broken"}, named(t, m, "lampState").Words)
	voltage := named(t, m, "lampVoltage")
	assert.Equal(t, "12.3", voltage.Show(mib.Value{Type: mib.Integer, Int: 123}))
	assert.Equal(t, "Decivolt", voltage.Convention)
	assert.Equal(t, "green", named(t, m, "lampColour").Show(mib.Value{Type: mib.Integer, Int: 2}), "a type of another module")
	assert.Equal(t, "true", named(t, m, "lampLit").Words[1])
	assert.Equal(t, 8, named(t, m, "lampKey").Size)
	assert.Equal(t, row.Index, named(t, m, "lampMore").Index, "as the row that it augments")
	assert.Equal(t, mib.Counter64, named(t, m, "lampHours").Syntax)
	assert.Equal(t, mib.Event, named(t, m, "lampWentOut").Kind)

	tree := mib.NewTree([]mib.Object{}, m.Objects, shippedObjects(t))
	assert.Equal(t, "3 · pier", tree.ShowIndex(row, mib.OID{3, 112, 105, 101, 114}))
}

func shippedObjects(t *testing.T) []mib.Object {
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	return all
}

// Modules may come one after the other: what was linked before is enough.
func TestModulesNeedEachOther(t *testing.T) {
	alone := smi.Link(read(t, lamps), nil, shipped(t))[0]
	assert.Equal(t, []string{"COLOUR-TC"}, alone.Missing)
	require.Len(t, alone.Problems, 1)
	assert.Contains(t, alone.Problems[0].String(), "file-0.mib, line 83: lampColour is of the type LampColour, which nobody describes")
	named(t, alone, "lampState") // the rest is there
	first := smi.Link(read(t, colours), nil, shipped(t))[0]
	later := smi.Link(read(t, lamps), smi.Known{"COLOUR-TC": first}, shipped(t))[0]
	assert.Empty(t, later.Missing)
	assert.Equal(t, "red", named(t, later, "lampColour").Words[1])
}

// SMIv1 (RFC 1155, 1212): other words for the same, traps, and two modules in one file.
func TestOldModulesAreRead(t *testing.T) {
	old := `BUOY-MIB DEFINITIONS ::= BEGIN
IMPORTS enterprises, Counter FROM RFC1155-SMI
        OBJECT-TYPE FROM RFC-1212 TRAP-TYPE FROM RFC-1215;
buoy OBJECT IDENTIFIER ::= { enterprises 99998 }
buoyPings OBJECT-TYPE
   SYNTAX Counter
   ACCESS read-only
   STATUS mandatory
   DESCRIPTION "Gr\xfc\xdfe"
   ::= { buoy 1 }
buoyLost TRAP-TYPE ENTERPRISE buoy DESCRIPTION "Lost." ::= 3
END
` + colours
	got, wrong := smi.Read("buoy.my", []byte(strings.ReplaceAll(strings.ReplaceAll(old, `\xfc`, "\xfc"), `\xdf`, "\xdf")))
	require.Empty(t, wrong)
	require.Len(t, got, 2)
	m := smi.Link(got, nil, shipped(t))[0]
	pings := named(t, m, "buoyPings")
	assert.Equal(t, mib.Counter32, pings.Syntax)
	assert.Equal(t, "1.3.6.1.4.1.99998.1", pings.OID.String())
	assert.Equal(t, "Grüße", pings.About, "in ISO 8859-1")
}

func TestWhatIsWrongIsToldWithFileAndLine(t *testing.T) {
	for want, text := range map[string]string{
		"it has no module":                "a text about lamps",
		"it is no text":                   "A DEFINITIONS ::= BEGIN \x00 END",
		"line 3: A: ":                     "A DEFINITIONS ::= BEGIN\nx OBJECT IDENTIFIER ::= { iso 3 }\ny OBJECT-TYPE SYNTAX ::= {}\nEND",
		"line 4: B: ":                     "A DEFINITIONS ::= BEGIN\nx OBJECT IDENTIFIER ::= { iso 3 }\nEND\nB DEFINITIONS ::= BEGIN y END",
		"unexpected \"<EOF>\"":            "A DEFINITIONS ::= BEGIN\nx OBJECT IDENTIFIER ::= { iso 3 }\n",
		"larger than 4 MiB":               "A DEFINITIONS ::= BEGIN" + strings.Repeat(" ", smi.MaxFile),
		"A: unexpected":                   "A DEFINITIONS ::= BEGIN " + strings.Repeat("{", 10_000) + " END",
		"file.mib, line 1: A: unexpected": "A DEFINITIONS ::= BEGIN x OBJECT IDENTIFIER ::= { iso 3 } \"open",
		"file.mib, line 2: A: unexpected \"99999999999\"": "A DEFINITIONS ::= BEGIN\nx OBJECT IDENTIFIER ::= { iso 99999999999 } END",
	} {
		_, wrong := smi.Read("file.mib", []byte(text))
		if assert.Len(t, wrong, 1, want) {
			assert.Contains(t, wrong[0].String(), want)
		}
	}
	for want, body := range map[string]string{
		"x stands below itself":                  "x OBJECT IDENTIFIER ::= { y 1 } y OBJECT IDENTIFIER ::= { x 1 }",
		"stands under z, which nobody describes": "x OBJECT IDENTIFIER ::= { z 1 }",
		"z (load Q-MIB)":                         "IMPORTS z FROM Q-MIB; x OBJECT IDENTIFIER ::= { z 1 }",
		"y has no number":                        "x OBJECT IDENTIFIER ::= { iso y }",
		"of the type T, which nobody":            "T ::= U U ::= T x OBJECT-TYPE SYNTAX T ACCESS read-only STATUS mandatory ::= { iso 3 }",
	} {
		m := smi.Link(read(t, "A DEFINITIONS ::= BEGIN "+body+" END"), nil, shipped(t))[0]
		if assert.NotEmpty(t, m.Problems, want) {
			assert.Contains(t, fmt.Sprint(m.Problems), strings.Replace(want, "z (load", "z, which nobody describes (load", 1))
		}
	}
}

// The modules in which the language is written down are known, whatever a copy of them says.
func TestTheLanguageItselfIsKnown(t *testing.T) {
	got, wrong := smi.Read("smi.mib", []byte("SNMPv2-SMI DEFINITIONS ::= BEGIN IMPORTS nobody knows END\n"+colours))
	assert.Empty(t, wrong)
	require.Len(t, got, 1)
	assert.Equal(t, "COLOUR-TC", got[0].Name)
}

// Rows that augment each other in a circle, across modules, come to an end.
func TestCirclesOfRowsEnd(t *testing.T) {
	row := func(module, name, other, from, number string) string {
		return module + " DEFINITIONS ::= BEGIN IMPORTS " + other + " FROM " + from + "; " + name +
			" OBJECT-TYPE SYNTAX X ACCESS not-accessible STATUS mandatory AUGMENTS { " + other + " } ::= { iso " + number + " } END\n"
	}
	linked := smi.Link(read(t, row("A", "aRow", "bRow", "B", "3"), row("B", "bRow", "aRow", "A", "4")), nil, shipped(t))
	assert.Empty(t, named(t, linked[0], "aRow").Index)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(lamps))
	f.Add([]byte(colours))
	tree := shipped(f)
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 20_000 {
			return
		}
		got, _ := smi.Read("f", data)
		for _, m := range smi.Link(got, nil, tree) {
			for _, o := range m.Objects {
				if len(o.OID) == 0 || o.Name == "" {
					t.Errorf("%+v", o)
				}
			}
		}
	})
}
