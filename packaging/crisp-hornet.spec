# The folder that runs by itself: the application with Python and Qt, nothing to install.
from PyInstaller.utils.hooks import collect_data_files, collect_submodules, copy_metadata

modules = collect_submodules("crisp_hornet", filter=lambda name: True)
data = collect_data_files("crisp_hornet")
# migrations are read as files
data += collect_data_files("crisp_hornet.garage", include_py_files=True, includes=["migrations/**/*.py"])
data += copy_metadata("crisp-hornet", recursive=True)
analysis = Analysis(
    ["start.py"],
    hiddenimports=[*modules, *collect_submodules("pymodbus"), *collect_submodules("can.interfaces"), "sqlalchemy.dialects.sqlite"],
    datas=data,
    excludes=["tkinter", "PyQt6.QtQml", "PyQt6.QtQuick", "PyQt6.QtWebEngineCore", "IPython", "matplotlib"],
)
program = EXE(
    PYZ(analysis.pure), analysis.scripts, exclude_binaries=True, name="crisp-hornet", console=True, upx=False,
)
COLLECT(program, analysis.binaries, analysis.datas, name="crisp-hornet", upx=False)
