package ranges

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAddressesOutOfTables(t *testing.T) {
	for text, want := range map[string][]string{
		"name,IP Address\nnp-sw-1,192.0.2.1\nnp-sw-2,192.0.2.2\n":    {"192.0.2.1", "192.0.2.2"},
		"name;network\nPier;192.0.2.0/26\n;\nHouse;2001:db8::/120\n": {"192.0.2.0/26", "2001:db8::/120"},
		"pier\t192.0.2.1-192.0.2.9\nhouse\t192.0.2.20\n":             {"192.0.2.1-192.0.2.9", "192.0.2.20"},
		"\uFEFF192.0.2.1\n192.0.2.2":                                 {"192.0.2.1", "192.0.2.2"},
		"what,where\na,b\n":                                          nil,
		"":                                                           nil,
		"ip\n\"192.0.2.1\"\n":                                        {"192.0.2.1"},
	} {
		found, wrong := FromTable([]byte(text))
		assert.Equal(t, want, found, text)
		assert.Empty(t, wrong, text)
	}
}

func TestWhatIsWrongInATableIsToldByItsLine(t *testing.T) {
	found, wrong := FromTable([]byte("ip,name\n192.0.2.1,a\n192.0.2.300,b\nnone,c\n192.0.2.4,d\n"))
	assert.Equal(t, []string{"192.0.2.1", "192.0.2.4"}, found)
	assert.Len(t, wrong, 2)
	assert.Contains(t, wrong[0], "line 3: “192.0.2.300”")
	_, wrong = FromTable([]byte("ip\n" + strings.Repeat("x\n", 100)))
	assert.Len(t, wrong, 10)
	assert.Equal(t, "and more", wrong[9])
	_, wrong = FromTable([]byte("ip\n\"open"))
	assert.NotEmpty(t, wrong)
	_, wrong = FromTable([]byte("\xff"))
	assert.Contains(t, wrong[0], "UTF-8")
	_, wrong = FromTable(make([]byte, MaxTable+1))
	assert.NotEmpty(t, wrong)
}

func FuzzFromTable(f *testing.F) {
	f.Add([]byte("ip,name\n192.0.2.1,a\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		found, wrong := FromTable(data)
		for _, x := range found {
			if _, err := Read(x); err != nil {
				t.Errorf("%q: %v", x, err)
			}
		}
		if len(wrong) > mostWrong {
			t.Errorf("%d problems", len(wrong))
		}
	})
}
