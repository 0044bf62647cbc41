package kit

import (
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/text"
)

// The bounds of a folder.
const (
	deepestFolder     = 6
	longestFolderName = 60
)

// folderOf is a folder with its names as they are compared: without spaces around them, and without empty ones.
func folderOf(written string) string {
	var names []string
	for _, name := range strings.Split(written, "/") {
		if name = strings.TrimSpace(name); name != "" {
			names = append(names, name)
		}
	}
	return strings.Join(names, "/")
}

// checkFolder says what is wrong with where the kit is kept.
func (k *Kit) checkFolder() []error {
	names := strings.Split(k.Folder, "/")
	long := slices.ContainsFunc(names, func(n string) bool { return len([]rune(n)) > longestFolderName || !text.Printable(n) })
	if long || len(names) > deepestFolder {
		const says = "folder: at most %d names with / between them, each of at most %d characters"
		return []error{fmt.Errorf(says, deepestFolder, longestFolderName)}
	}
	return nil
}

// In tells whether the kit is kept in a folder, or in one below it.
func (k *Kit) In(folder string) bool {
	return folder == "" || k.Folder == folder || strings.HasPrefix(k.Folder, folder+"/")
}

// Folder is one with how many kits are in it and below.
type Folder struct {
	Path  string
	Depth int // 0 at the top
	Kits  int
}

// Name is what it is called within the one above.
func (f Folder) Name() string { return f.Path[strings.LastIndexByte(f.Path, '/')+1:] }

// Folders are those of some kits, each after the one above it.
func Folders(kits []*Kit) (out []Folder) {
	count := map[string]int{}
	for _, k := range kits {
		for at := k.Folder; at != ""; {
			count[at]++
			i := strings.LastIndexByte(at, '/')
			at = at[:max(i, 0)]
		}
	}
	for path, n := range count {
		out = append(out, Folder{path, strings.Count(path, "/"), n})
	}
	slices.SortFunc(out, func(a, b Folder) int {
		return slices.Compare(strings.Split(strings.ToLower(a.Path), "/"), strings.Split(strings.ToLower(b.Path), "/"))
	})
	return out
}
