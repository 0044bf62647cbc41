package kit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestFoldersAreATree(t *testing.T) {
	var kits []*Kit
	for _, folder := range []string{"Network/Errors", "Network", "hosts", "", "Network/Errors/Old", "Network 2"} {
		kits = append(kits, &Kit{Folder: folder})
	}
	assert.Equal(t, []Folder{
		{"hosts", 0, 1},
		{"Network", 0, 3},
		{"Network/Errors", 1, 2},
		{"Network/Errors/Old", 2, 1},
		{"Network 2", 0, 1},
	}, Folders(kits))
	assert.Equal(t, "Old", Folder{Path: "Network/Errors/Old"}.Name())
	assert.True(t, kits[4].In("Network"))
	assert.False(t, kits[5].In("Network"), "the name only begins alike")
	assert.True(t, kits[3].In(""))
	assert.Equal(t, "Network/Errors", folderOf(" Network / Errors//"))
	assert.Empty(t, (&Kit{Folder: "A/B"}).checkFolder())
	assert.NotEmpty(t, (&Kit{Folder: strings.Repeat("a/", 6) + "a"}).checkFolder(), "seven deep")
	assert.NotEmpty(t, (&Kit{Folder: strings.Repeat("a", 61)}).checkFolder())
}
